"""Days and times of day in other people's tables. Nothing is guessed: what could be read in two ways is refused."""

from __future__ import annotations

import re
from collections.abc import Iterable
from datetime import UTC, date, datetime, time, timedelta, timezone
from functools import cache
from typing import Literal, NamedTuple
from zoneinfo import ZoneInfo

from kessa.core.errors import CannotCompute
from kessa.core.importing.evidence import one_way
from kessa.core.importing.words import plain, words

Order = Literal["dmy", "mdy"]
ORDERS: tuple[Order, Order] = ("dmy", "mdy")
_YEAR_FIRST = re.compile(r"(?P<y>[0-9]{4})(?P<by>[-./])(?P<m>[0-9]{1,2})(?P=by)(?P<d>[0-9]{1,2})")
_YEAR_LAST = re.compile(r"(?P<a>[0-9]{1,2})(?P<by>[-./])(?P<b>[0-9]{1,2})(?P=by)(?P<y>[0-9]{4})")
_NAMED = re.compile(
    r"(?P<d>[0-9]{1,2})(?:\.|st|nd|rd|th)?[- ]?(?:de )?(?P<m>[^\W\d_]{3,})\.?,?[- ](?:de )?(?P<y>[0-9]{4})"
)
_NAMED_FIRST = re.compile(r"(?P<m>[^\W\d_]{3,})\.? (?P<d>[0-9]{1,2})(?:st|nd|rd|th)?,? (?P<y>[0-9]{4})")
_CLOCK = re.compile(
    r"(?P<hour>[0-9]{1,2})(?:(?P<by>[:.h])(?P<minute>[0-9]{2})(?:(?::|\.)(?P<second>[0-9]{2})(?:[.,](?P<part>[0-9]{1,6}))?)?)?"
    r" ?(?P<half>[ap]\.?m\.?)?(?P<word>[a-z]+)??(?: ?(?P<zone>z|utc|[+-][0-9]{2}(?::?[0-9]{2})?))?"
)
_THEN = re.compile(r"(?:(?:T|,? )(?P<clock>\S.*))?")
_LONGEST, _FARTHEST = 60, timedelta(hours=14)


class Clock(NamedTuple):
    """A time of day, and how far ahead of UTC its clock goes, where that stands with it."""

    at: time
    offset: timedelta | None


def read_moment(text: str, zone: str, order: Order | None = None) -> date | datetime:
    """Read a day, or with a time of day the moment in UTC, as the clocks of `zone` (IANA) went unless an offset stands.

    The year comes first, or last with four digits; `order` says which of the numbers before it is the month, where both
    could be. Raises CannotCompute on `text` for what is no day, or could be two, and for a time that the zone's clocks
    skipped or had twice; on `zone` for none that is known.

    >>> read_moment("05.03.2023 09:40", "Europe/Berlin", "dmy")
    datetime.datetime(2023, 3, 5, 8, 40, tzinfo=datetime.timezone.utc)
    """
    clocks = zone_of(zone)
    day, clock = read_day(text, order)
    return day if clock is None else moment_of(day, clock, clocks, text)


def zone_of(name: str) -> ZoneInfo:
    """Return a time zone by its IANA name; raises CannotCompute on `zone`."""
    try:
        return ZoneInfo(name)
    except (KeyError, ValueError, OSError):
        raise CannotCompute(f"“{name[:60]}” is no time zone.", "zone") from None


def moment_of(day: date, clock: Clock, zone: ZoneInfo, text: str) -> datetime:
    """Return when that was, in UTC; raises CannotCompute where the zone's clocks skipped that time or had it twice."""
    at = datetime.combine(day, clock.at)
    try:
        if clock.offset is not None:
            return at.replace(tzinfo=timezone(clock.offset)).astimezone(UTC)
        first, second = (at.replace(tzinfo=zone, fold=fold) for fold in (0, 1))
        if first.utcoffset() == second.utcoffset():
            return first.astimezone(UTC)
    except OverflowError:
        raise _refused(text, "is no moment") from None
    skipped = first.astimezone(UTC).astimezone(zone).replace(tzinfo=None) != at
    raise _refused(text, f"was {'skipped by' if skipped else 'twice on'} the clocks of {zone.key}")


def read_day(text: str, order: Order | None = None) -> tuple[date, Clock | None]:
    """Read a day as read_moment does, and the time of day where one stands after it."""
    tidy = " ".join(text.replace("\u2212", "-").split())
    if len(tidy) > _LONGEST:
        raise _refused(text, "is no day")
    for pattern in (_YEAR_FIRST, _YEAR_LAST, _NAMED, _NAMED_FIRST):
        found = pattern.match(tidy)
        if found is None:
            continue
        rest = _THEN.fullmatch(tidy[found.end() :])
        if rest is None:
            continue
        if pattern is _YEAR_LAST:
            day, month = _in_order(int(found["a"]), int(found["b"]), order, text)
        else:
            day, month = int(found["d"]), int(found["m"]) if pattern is _YEAR_FIRST else _month(found["m"], text)
        try:
            read = date(int(found["y"]), month, day)
        except ValueError:
            raise _refused(text, "is no day") from None
        return read, read_clock(rest["clock"]) if rest["clock"] else None
    raise _refused(text, "is no day with its whole year")


def read_clock(text: str) -> Clock:
    """Read a time of day; raises CannotCompute where it is none.

    >>> read_clock("2:05 pm").at, read_clock("9.30 Uhr").at
    (datetime.time(14, 5), datetime.time(9, 30))
    """
    given = plain(text.replace("\u2212", "-"))
    found = _CLOCK.fullmatch(given)
    word = found["word"] if found else None
    if found is None or (word and word not in words().clock) or not (found["minute"] or found["half"] or word):
        raise _refused(text, "is no time of day")
    hour, half = int(found["hour"]), (found["half"] or "").replace(".", "")
    if half:
        if not 1 <= hour <= 12 or word:
            raise _refused(text, "is no time of day")
        hour = hour % 12 + (12 if half == "pm" else 0)
    try:
        part = int((found["part"] or "").ljust(6, "0"))
        return Clock(time(hour, int(found["minute"] or 0), int(found["second"] or 0), part), _offset(found["zone"]))
    except ValueError:
        raise _refused(text, "is no time of day") from None


def _offset(words: str | None) -> timedelta | None:
    if words is None:
        return None
    if words in ("z", "utc"):
        return timedelta(0)
    digits = words[1:].replace(":", "").ljust(4, "0")
    offset = timedelta(hours=int(digits[:2]), minutes=int(digits[2:]))
    if int(digits[2:]) > 59 or offset > _FARTHEST:
        raise ValueError("no offset")
    return -offset if words[0] == "-" else offset


def _in_order(first: int, second: int, order: Order | None, text: str) -> tuple[int, int]:
    """Return day and month of two numbers."""
    if order is None:
        if first <= 12 and second <= 12:
            raise _refused(text, "may be read with day or month first")
        order = "mdy" if second > 12 else "dmy"
    return (first, second) if order == "dmy" else (second, first)


@cache
def _months() -> dict[str, set[int]]:
    """Beginnings of months' names, each with the months that begin so."""
    begun: dict[str, set[int]] = {}
    for number, names in enumerate(words().months, 1):
        for name in names:
            for length in range(3, len(name) + 1):
                begun.setdefault(name[:length], set()).add(number)
    # A whole name is that month, whatever begins with it.
    return begun | {name: {number} for number, names in enumerate(words().months, 1) for name in names}


def _month(name: str, text: str) -> int:
    found = _months().get(plain(name), set())
    if len(found) != 1:
        raise _refused(text, "is no day")
    return next(iter(found))


def day_order(texts: Iterable[str], usual: Order | None = None) -> Order | None:
    """Return the order of day and month in a column; None where it may be either and the days are then others.

    Where they are the same in either it is `usual`.

    >>> day_order(["25/3/2024", "4/5/2024"]), day_order(["4/5/2024"]), day_order(["2024-03-05"])
    ('dmy', None, 'dmy')
    """
    return one_way(texts, ORDERS, day_of, usual)


def day_of(text: str, order: Order) -> date | None:
    """Return the day of a text; None where it is none in this order."""
    try:
        return read_day(text, order)[0]
    except CannotCompute:
        return None


def _refused(text: str, why: str) -> CannotCompute:
    return CannotCompute(f"“{text.strip()[:60]}” {why}.", "text")
