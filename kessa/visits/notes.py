"""Checking the observations a browser sends, each by itself."""

import uuid
from datetime import datetime
from typing import Any, NamedTuple

from kessa.core.errors import CannotCompute, checked_number
from kessa.core.job.circumstances import Scale, scales_for
from kessa.core.quantities.quantity import plain
from kessa.kits.models import Instrument
from kessa.visits.models import Visit
from kessa.visits.taps import BadTap, is_whole, read_device, read_id, read_seq, read_time


class Note(NamedTuple):
    """One checked observation."""

    id: uuid.UUID
    key: str
    value: float | None
    display: float | None
    display_unit: str
    instrument: Instrument | None
    seq: int
    at: datetime
    device: str


def check(tap: Any, visit: Visit) -> Note:
    """Check one observation against the scales of the visit's kind of place; raises BadTap.

    A value of None takes back what was noted before.
    """
    if not isinstance(tap, dict):
        raise BadTap("An observation is an object.")
    scale = next((each for each in scales_for(visit.place.kind_key) if each.key == tap.get("run")), None)
    if scale is None:
        raise BadTap("This is not noted at this kind of place.")
    data = tap.get("data")
    if not isinstance(data, dict) or "value" not in data:
        raise BadTap("An observation carries its value.")
    shown, unit = data["value"], data.get("unit") or scale.unit
    if unit not in scale.units:
        raise BadTap(f"{scale.label}: in one of {', '.join(scale.units)}.")
    return Note(
        read_id(tap.get("id")),
        scale.key,
        _on_scale(scale, shown, unit),
        None if unit == scale.unit else shown,
        "" if unit == scale.unit else unit,
        _instrument(data.get("instrument"), scale.key, visit),
        read_seq(tap.get("seq")),
        read_time(tap.get("at")),
        read_device(tap.get("device")),
    )


def _on_scale(scale: Scale, shown: Any, unit: str) -> float | None:
    if shown is None:
        return None
    try:
        value = scale.brought_from(checked_number(shown, scale.label), unit)
    except CannotCompute as fault:
        raise BadTap(f"{scale.label}: {fault.message}") from None
    if not scale.holds(value):
        span = "" if scale.words else f" It runs from {plain(scale.least)} to {plain(scale.most)} {scale.sign}."
        raise BadTap(f"{scale.label}: not on the scale.{span}")
    return value


def _instrument(pk: Any, key: str, visit: Visit) -> Instrument | None:
    if pk is None:
        return None
    if not is_whole(pk, 1, 2**62):
        raise BadTap("An instrument is named by its number.")
    found = Instrument.objects.for_team(visit.team_id).filter(pk=pk, measures=key).first()
    if found is None:
        raise BadTap("Your team has no such instrument for this reading.")
    return found
