"""Reading the taps a browser sends: each by itself, so that one bad tap does not hold up the others."""

import re
import uuid
from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any, NamedTuple

MOST_TAPS = 500
_DEVICE = re.compile(r"[\w .-]{1,40}", re.ASCII)
_YEARS = range(1970, 2200)  # a phone whose clock was lost begins in 1970
_LARGEST_SEQ = 1_000_000_000


class BadTap(ValueError):
    """A tap that cannot be kept; the message says why."""


class Batch(NamedTuple):
    """A posted batch: the taps as they were sent, how many the page has from the server, and the page's own clock."""

    taps: list[Any]
    known: int
    sent_at: datetime | None


class Incoming(NamedTuple):
    """One tap, its shape checked; what it carries is checked by its stream. `whose` is a signed name, or nothing."""

    id: uuid.UUID
    run: str
    kind: str
    data: dict[str, Any]
    seq: int
    at: datetime
    device: str
    whose: str


Check = Callable[[Incoming], dict[str, Any]]


def read_batch(body: Any) -> Batch:
    """Read a posted batch; raises ValueError, KeyError or TypeError."""
    taps, known = body["taps"], body["known"]
    if not isinstance(taps, list) or len(taps) > MOST_TAPS or not is_whole(known, 0, 1_000_000):
        raise ValueError
    return Batch(taps, known, read_time(body["now"]) if "now" in body else None)


def read_tap(tap: Any) -> Incoming:
    """Read the shape of one tap; raises BadTap."""
    if not isinstance(tap, dict):
        raise BadTap("A tap is an object.")
    run, kind, data, whose = tap.get("run", ""), tap.get("kind"), tap.get("data") or {}, tap.get("whose") or ""
    if not isinstance(kind, str) or not isinstance(run, str) or len(run) > 30 or not isinstance(whose, str):
        raise BadTap("A tap names its kind and what it is about.")
    if not isinstance(data, dict):
        raise BadTap("What a tap carries is an object.")
    seq, at, device = read_seq(tap.get("seq")), read_time(tap.get("at")), read_device(tap.get("device"))
    return Incoming(read_id(tap.get("id")), run, kind, data, seq, at, device, whose)


def read_id(value: Any, refusal: str = "A tap has a UUID of its own.") -> uuid.UUID:
    """Read a UUID; raises BadTap with the refusal."""
    try:
        return uuid.UUID(value)
    except (ValueError, TypeError, AttributeError):
        raise BadTap(refusal) from None


def read_seq(value: Any) -> int:
    """Read a sequence number; raises BadTap."""
    if not is_whole(value, 1, _LARGEST_SEQ):
        raise BadTap("A tap has a sequence number from 1.")
    return int(value)


def read_time(value: Any) -> datetime:
    """Read a moment with its zone; raises BadTap."""
    try:
        at = datetime.fromisoformat(value)
        if at.tzinfo is None or at.year not in _YEARS:
            raise ValueError
        return at.astimezone(UTC)
    except (ValueError, TypeError, OverflowError):
        raise BadTap("A tap has a time with its zone.") from None


def read_device(value: Any) -> str:
    """Read a device's name; raises BadTap."""
    if not isinstance(value, str) or not _DEVICE.fullmatch(value):
        raise BadTap("A tap names its device in up to 40 plain letters.")
    return value


def is_whole(value: Any, least: int, most: int) -> bool:
    """Whether a value is a whole number within bounds."""
    return isinstance(value, int) and not isinstance(value, bool) and least <= value <= most
