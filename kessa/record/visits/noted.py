"""Checking what is noted on a visit's scales."""

from datetime import datetime, timedelta
from typing import Any

from kessa.core.errors import CannotCompute, checked_number
from kessa.core.job.circumstances import Scale, scales_for
from kessa.core.quantities.quantity import plain
from kessa.core.quantities.units import can_be
from kessa.record.instruments.models import Instrument
from kessa.record.people.selectors import members
from kessa.record.taps.incoming import BadTap, Incoming, is_key, read_id, read_time
from kessa.record.taps.selectors import is_taken
from kessa.record.visits.models import Sample, Visit

# A sample is drawn by the time it is noted, by clocks that are not quite alike; what is older than a year is a slip.
DRAWN_SLACK, DRAWN_WITHIN = timedelta(minutes=5), timedelta(days=366)
TO_COME = "This time is still to come. When was the sample drawn?"
TOO_OLD = "This is more than a year ago. Check the date."


def observed(tap: Incoming, visit: Visit) -> dict[str, Any]:
    """Return what was observed, in the scale's own unit; raises BadTap. A value of None takes back what was noted.

    `value` is on the scale, `display` and `unit` what an instrument showed where that was in another unit.
    """
    scale = next((each for each in scales_for(visit.place.kind_key) if each.key == tap.run), None)
    if scale is None:
        raise BadTap("This is not noted at this kind of place.")
    if "value" not in tap.data:
        raise BadTap("An observation carries its value.")
    shown, unit = tap.data["value"], tap.data.get("unit") or scale.unit
    if not isinstance(unit, str) or unit not in scale.units:
        raise BadTap(f"{scale.label}: in one of {', '.join(scale.units)}.")
    return {
        "value": shown,
        "unit": unit,
        "on_scale": _on_scale(scale, shown, unit),
        "instrument": _instrument(tap.data.get("instrument"), scale.key, visit),
    }


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


def _instrument(pk: Any, key: str, visit: Visit) -> int | None:
    if pk is None:
        return None
    if not is_key(pk):
        raise BadTap("An instrument is named by its number.")
    if not Instrument.objects.for_team(visit.team_id).filter(pk=pk, measures=key).exists():
        raise BadTap("Your team has no such instrument for this reading.")
    return int(pk)


def untimely(drawn_at: datetime, now: datetime) -> str:
    """Say what is against a time at which a sample is said to have been drawn, by the clock that says now."""
    if drawn_at > now + DRAWN_SLACK:
        return TO_COME
    return TOO_OLD if drawn_at < now - DRAWN_WITHIN else ""


def drawn(tap: Incoming, team_id: int) -> dict[str, Any]:
    """Return what is said of a sample that was drawn; raises BadTap."""
    data = tap.data
    sample = str(read_id(data.get("sample"), "A sample has a UUID of its own."))
    if is_taken(Sample, sample, but_by=team_id):
        raise BadTap("This number is another thing's: draw the sample anew.")
    person = data.get("by")
    if person is not None and not (is_key(person) and members(team_id).filter(pk=person).exists()):
        raise BadTap("Somebody of your team drew it.")
    bottle = data.get("bottle")
    if bottle is not None and not is_key(bottle):
        raise BadTap("A bottle is named by its number.")
    at = read_time(data["at"]) if data.get("at") else None
    if at and (wrong := untimely(at, tap.at)):
        raise BadTap(wrong)
    return {
        "sample": sample,
        "at": at.isoformat() if at else None,
        "by": person,
        "depth_cm": _tenths(data.get("depth_cm"), 0, 10_000, "The depth"),
        "water_temperature_c": _tenths(data.get("water_temperature_c"), *can_be("degC"), "The water's temperature"),
        "way": str(data.get("way") or "")[:20].replace("\0", ""),
        "bottle": bottle,
    }


def _tenths(value: Any, least: float, most: float, what: str) -> float | None:
    if value is None:
        return None
    try:
        number = round(checked_number(value, what), 1)
    except CannotCompute as fault:
        raise BadTap(fault.message) from None
    if not least <= number <= most:
        raise BadTap(f"{what} lies between {plain(least)} and {plain(most)}.")
    return number


def text(value: Any, most: int, what: str) -> str:
    """Return a text as it is kept; raises BadTap."""
    if value is None:
        return ""
    if not isinstance(value, str) or len(value) > most or "\0" in value:
        raise BadTap(f"{what} is a text of up to {most} letters.")
    return value
