"""Checking the taps a browser sends: each by itself, so that one bad tap does not hold up the others."""

import re
import uuid
from datetime import UTC, datetime
from typing import Any, NamedTuple

from kessa.core import runs
from kessa.core.methods.schema import Method

MOST_EVENTS = 500
CLOSED, REOPENED = "closed", "reopened"
WHOLE = ""
_RUN = re.compile(r"(blank|sample)-[1-9][0-9]?")
_DEVICE = re.compile(r"[\w .-]{1,40}", re.ASCII)
_YEARS = range(1970, 2200)  # a phone whose clock was lost begins in 1970
_LARGEST_SEQ = 1_000_000_000


class BadTap(ValueError):
    """A tap that cannot be kept; the message says why."""


class Incoming(NamedTuple):
    """One checked tap."""

    id: uuid.UUID
    run: str
    kind: str
    seq: int
    at: datetime
    data: dict[str, Any]
    device: str


def check(tap: Any, method: Method) -> Incoming:
    """Check one tap against what the bench of this method can send; raises BadTap."""
    if not isinstance(tap, dict):
        raise BadTap("A tap is an object.")
    kind, run = tap.get("kind"), tap.get("run")
    if kind == CLOSED:
        if run != WHOLE:
            raise BadTap("Closing is for the whole determination.")
    elif kind not in runs.RUN_EVENTS:
        raise BadTap("This kind of tap is not known.")
    elif not isinstance(run, str) or not _RUN.fullmatch(run):
        raise BadTap("A run is named blank or sample and a number.")
    device = tap.get("device")
    if not isinstance(device, str) or not _DEVICE.fullmatch(device):
        raise BadTap("A tap names its device in up to 40 plain letters.")
    data = _data(kind, tap.get("data") or {}, method)
    return Incoming(_uuid(tap.get("id")), run, kind, _seq(tap.get("seq")), _time(tap.get("at")), data, device)


def _uuid(value: Any) -> uuid.UUID:
    try:
        return uuid.UUID(value)
    except (ValueError, TypeError, AttributeError):
        raise BadTap("A tap has a UUID of its own.") from None


def _seq(value: Any) -> int:
    if not _is_whole(value, 1, _LARGEST_SEQ):
        raise BadTap("A tap has a sequence number from 1.")
    return int(value)


def _time(value: Any) -> datetime:
    try:
        at = datetime.fromisoformat(value)
        if at.tzinfo is None or at.year not in _YEARS:
            raise ValueError
        return at.astimezone(UTC)
    except (ValueError, TypeError, OverflowError):
        raise BadTap("A tap has a time with its zone.") from None


def _data(kind: str, data: Any, method: Method) -> dict[str, Any]:
    if not isinstance(data, dict):
        raise BadTap("What a tap carries is an object.")
    if kind == runs.BACK:
        return {"of": str(_uuid(data.get("of")))}
    if kind == runs.END:
        if not isinstance(data.get("endpoint"), bool):
            raise BadTap("An end says whether the colour stayed.")
        return {"endpoint": data["endpoint"]}
    if kind == runs.STEP:
        if not _is_whole(data.get("step"), 0, len(method.steps) - 1):
            raise BadTap("The method has no such step.")
        return {"step": data["step"]}
    if kind == runs.TIMER:
        if not _is_whole(data.get("seconds"), 1, 86_400):
            raise BadTap("A clock runs for 1 second to a day.")
        return {"seconds": data["seconds"]}
    return {}


def _is_whole(value: Any, least: int, most: int) -> bool:
    return isinstance(value, int) and not isinstance(value, bool) and least <= value <= most
