"""Reading the taps a browser sends: each by itself, so that one bad tap does not hold up the others."""

import re
import uuid
from datetime import UTC, datetime
from typing import Any, NamedTuple

MOST_TAPS = 500
_DEVICE = re.compile(r"[\w .-]{1,40}", re.ASCII)
_YEARS = range(1970, 2200)  # a phone whose clock was lost begins in 1970
# Far more than a stream ever holds, and what the database holds.
_LARGEST_SEQ = 2_000_000_000
_LARGEST_KEY = 2**62


class BadTap(ValueError):
    """A tap that cannot be kept; the message says why. Somebody mends it, or drops it with a reason."""


class Waits(BadTap):
    """A tap that cannot be kept yet: it waits on its phone for what the message names, and is sent again as it is."""


class Batch(NamedTuple):
    """A posted batch: the taps as they were sent, how many the page has from the server, and the page's own clock."""

    taps: list[Any]
    known: int
    sent_at: datetime | None


class Lent(NamedTuple):
    """A tap by somebody who took a visit over on another person's phone: on which visit, and by whom."""

    visit: uuid.UUID
    to: int


class Incoming(NamedTuple):
    """One tap, its shape checked; what it carries is checked by its stream.

    `whose` is the signed name of the person whose page made it, or nothing; `lent` is set where it was another's hand.
    """

    id: uuid.UUID
    run: str
    kind: str
    data: dict[str, Any]
    seq: int
    at: datetime
    device: str
    whose: str
    lent: Lent | None = None

    @property
    def order(self) -> tuple[int, datetime, uuid.UUID]:
        """By what taps of a stream are put in order."""
        return self.seq, self.at, self.id


class Dropped(NamedTuple):
    """Taps of a stream that somebody dropped on a phone, with the reason; `instead` is what was made of one of them."""

    of: str
    stream: uuid.UUID
    taps: list[Incoming]
    instead: dict[str, Any] | None
    why: str


def read_batch(body: Any) -> Batch:
    """Read a posted batch; raises ValueError, KeyError or TypeError."""
    taps, known = body["taps"], body["known"]
    if not isinstance(taps, list) or len(taps) > MOST_TAPS or not is_whole(known, 0, 1_000_000):
        raise ValueError
    return Batch(taps, known, read_time(body["now"]) if "now" in body else None)


def read_dropped(body: Any) -> Dropped:
    """Read what was dropped or corrected on a phone; raises ValueError, KeyError or TypeError."""
    taps, of, why, instead = body["taps"], body["of"], body["why"], body["instead"]
    if not isinstance(taps, list) or not 0 < len(taps) <= MOST_TAPS or not isinstance(instead, dict | None):
        raise ValueError
    if not isinstance(of, str) or not isinstance(why, str) or not why.strip():
        raise ValueError
    return Dropped(of, read_id(body["stream"]), [read_tap(tap) for tap in taps], instead, why.strip())


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
    return Incoming(read_id(tap.get("id")), run, kind, data, seq, at, device, whose, _read_lent(tap.get("lent")))


def _read_lent(data: Any) -> Lent | None:
    if data is None:
        return None
    if not isinstance(data, dict) or not is_key(data.get("to")):
        raise BadTap("A lent tap names the visit and who took it over.")
    return Lent(read_id(data.get("visit"), "A visit has a UUID of its own."), data["to"])


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


def is_key(value: Any) -> bool:
    """Whether a value can be the number of a row."""
    return is_whole(value, 1, _LARGEST_KEY)


def is_whole(value: Any, least: int, most: int) -> bool:
    """Whether a value is a whole number within bounds."""
    return isinstance(value, int) and not isinstance(value, bool) and least <= value <= most
