"""Checking the observations a browser sends, each by itself."""

import math
import uuid
from datetime import datetime
from typing import Any, NamedTuple

from kessa.core.quantity import plain
from kessa.kits.models import Instrument
from kessa.visits.circumstances import scales_for
from kessa.visits.models import Visit
from kessa.visits.taps import BadTap, is_whole, read_device, read_id, read_seq, read_time


class Note(NamedTuple):
    """One checked observation."""

    id: uuid.UUID
    key: str
    value: float | None
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
    value = data["value"]
    if value is not None:
        if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
            raise BadTap(f"{scale.label}: a number, please.")
        if not scale.holds(value):
            span = "" if scale.words else f" It runs from {plain(scale.least)} to {plain(scale.most)} {scale.sign}."
            raise BadTap(f"{scale.label}: not on the scale.{span}")
    return Note(
        read_id(tap.get("id")),
        scale.key,
        value,
        _instrument(data.get("instrument"), scale.key, visit),
        read_seq(tap.get("seq")),
        read_time(tap.get("at")),
        read_device(tap.get("device")),
    )


def _instrument(pk: Any, key: str, visit: Visit) -> Instrument | None:
    if pk is None:
        return None
    if not is_whole(pk, 1, 2**62):
        raise BadTap("An instrument is named by its number.")
    found = Instrument.objects.for_team(visit.team_id).filter(pk=pk, measures=key).first()
    if found is None:
        raise BadTap("Your team has no such instrument for this reading.")
    return found
