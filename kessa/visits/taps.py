"""What every tap a browser sends has in common, and sorting a batch of them: one bad tap does not hold up the rest."""

import re
import uuid
from collections.abc import Callable, Mapping
from datetime import UTC, datetime
from typing import Any, NamedTuple

MOST_TAPS = 500
_DEVICE = re.compile(r"[\w .-]{1,40}", re.ASCII)
_YEARS = range(1970, 2200)  # a phone whose clock was lost begins in 1970
_LARGEST_SEQ = 1_000_000_000


class BadTap(ValueError):
    """A tap that cannot be kept; the message says why."""


class Stored(NamedTuple):
    """What became of a batch: ids kept (now or before), those kept after closing, and (id, reason) of those refused."""

    kept: list[str]
    late: list[str]
    refused: list[tuple[str, str]]


class Sorted(NamedTuple):
    """A batch by what is to be done: checked taps to write, ids that are or will be kept, refusals."""

    new: list[Any]
    kept: list[str]
    refused: list[tuple[str, str]]


def sort_batch(
    taps: list[Any],
    check: Callable[[Any], Any],
    owners: Callable[[list[uuid.UUID]], Mapping[uuid.UUID, Any]],
    owner: Any,
    room: int,
) -> Sorted:
    """Check each tap, leave out repeats, and refuse what belongs elsewhere (by `owners` of ids) or has no room left."""
    checked, refused = [], []
    for tap in taps:
        try:
            checked.append(check(tap))
        except BadTap as fault:
            refused.append((str(tap.get("id")) if isinstance(tap, dict) else "", str(fault)))
    known = owners([tap.id for tap in checked])
    new: list[Any] = []
    kept = []
    for tap in {tap.id: tap for tap in checked}.values():
        if known.get(tap.id, owner) != owner:
            refused.append((str(tap.id), "This tap belongs elsewhere."))
        elif tap.id not in known and len(new) >= room:
            refused.append((str(tap.id), "There is no room for more taps here."))
        else:
            kept.append(str(tap.id))
            if tap.id not in known:
                new.append(tap)
    return Sorted(new, kept, refused)


def read_id(value: Any) -> uuid.UUID:
    """Read a UUID; raises BadTap."""
    try:
        return uuid.UUID(value)
    except (ValueError, TypeError, AttributeError):
        raise BadTap("A tap has a UUID of its own.") from None


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


def read_batch(body: Any) -> tuple[list[Any], int]:
    """Read a posted batch: its taps, and how many the page has from the server; raises ValueError."""
    taps, known = body["events"], body["known"]
    if not isinstance(taps, list) or len(taps) > MOST_TAPS or not isinstance(known, int):
        raise ValueError
    return taps, known


def is_whole(value: Any, least: int, most: int) -> bool:
    """Whether a value is a whole number within bounds."""
    return isinstance(value, int) and not isinstance(value, bool) and least <= value <= most
