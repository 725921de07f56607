"""Days and times of day as people write them in tables."""

from __future__ import annotations

import re
from collections.abc import Iterable
from datetime import date, datetime, time

from kessa.core.errors import CannotCompute

ORDERS = ("YMD", "DMY", "MDY")
_MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")
_NUMBERS = re.compile(r"(\d{1,4})[-./ ](\d{1,2})[-./ ](\d{1,4})(?:[T ,]+(.*))?")
_NAMED = re.compile(r"(?:[A-Za-z]{3,9},? )?(\d{1,2})\.?[- ]?([A-Za-z]{3,9})\.?,?[- ](\d{2,4})(?:[T ,]+(.*))?")
_NAMED_FIRST = re.compile(r"([A-Za-z]{3,9})\.? (\d{1,2}),? (\d{2,4})(?:[T ,]+(.*))?")
_CLOCK = re.compile(
    r"(\d{1,2})(?:[:.h](\d{2}))?(?:[:.](\d{2})(?:\.\d+)?)? ?(am|pm|AM|PM|a\.m\.|p\.m\.)?(?: ?(Z|[+-]\d{2}:?\d{2}))?"
)
_THIS_CENTURY = 70
_EARLIEST = 1900


def read_day(text: str, order: str = "YMD") -> tuple[date, time | None]:
    """Read a day, with the time of day where one stands after it; `order` of its numbers is one of ORDERS.

    A year of four digits first is read as YMD whatever the order; two digits are 1970 to 2069. Raises CannotCompute
    where it is no day.

    >>> read_day("5.3.24 9:40", "DMY")
    (datetime.date(2024, 3, 5), datetime.time(9, 40))
    """
    said = text.strip()
    for pattern, places in ((_NAMED, "DNY"), (_NAMED_FIRST, "NDY")):
        found = pattern.fullmatch(said)
        if found:
            parts = dict(zip(places, found.groups()[:3], strict=True))
            return _day(parts["Y"], _month(parts["N"], text), parts["D"], text), read_time(found[4] or "")
    found = _NUMBERS.fullmatch(said)
    if found is None:
        raise CannotCompute(f"“{said}” is no day.", "date")
    asked = "YMD" if len(found[1]) == 4 else order
    parts = dict(zip(asked, found.groups()[:3], strict=True))
    return _day(parts["Y"], int(parts["M"]), parts["D"], text), read_time(found[4] or "")


def read_time(text: str) -> time | None:
    """Read a time of day; None where nothing stands there. Raises CannotCompute where it is none.

    >>> read_time("2:05 pm"), read_time("")
    (datetime.time(14, 5), None)
    """
    said = text.strip()
    if not said:
        return None
    found = _CLOCK.fullmatch(said)
    if found is None or (found[2] is None and found[4] is None):
        raise CannotCompute(f"“{said}” is no time of day.", "time")
    hour, half = int(found[1]), (found[4] or "").lower().replace(".", "")
    if half:
        if not 1 <= hour <= 12:
            raise CannotCompute(f"“{said}” is no time of day.", "time")
        hour = hour % 12 + (12 if half == "pm" else 0)
    try:
        return time(hour, int(found[2] or 0), int(found[3] or 0))
    except ValueError:
        raise CannotCompute(f"“{said}” is no time of day.", "time") from None


def orders_of(texts: Iterable[str]) -> list[str]:
    """Return in which orders a column's days can all be read, the likeliest first; none where one is no day."""
    said = [text for text in texts if text.strip()]
    return [order for order in ORDERS if all(_reads(text, order) for text in said)]


def is_unambiguous(texts: Iterable[str]) -> bool:
    """Whether the order of a column's days does not matter or follows from them."""
    said = list(texts)
    read = {tuple(read_day(text, order)[0] for text in said if text.strip()) for order in orders_of(said)}
    return len(read) == 1


def _reads(text: str, order: str) -> bool:
    try:
        read_day(text, order)
    except CannotCompute:
        return False
    return True


def _day(year: str, month: int, day: str, text: str) -> date:
    number = int(year)
    if len(year) <= 2:
        number += 1900 if number >= _THIS_CENTURY else 2000
    try:
        found = date(number, month, int(day))
    except ValueError:
        raise CannotCompute(f"“{text.strip()}” is no day.", "date") from None
    if found.year < _EARLIEST or found > datetime.now().date().replace(year=datetime.now().year + 1, day=1):
        raise CannotCompute(f"“{text.strip()}” lies too far away.", "date")
    return found


def _month(name: str, text: str) -> int:
    short = name[:3].lower()
    if short not in _MONTHS:
        raise CannotCompute(f"“{text.strip()}” is no day.", "date")
    return _MONTHS.index(short) + 1
