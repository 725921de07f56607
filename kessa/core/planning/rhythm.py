"""Rhythms: on which days a round falls due, as recurrence rules of RFC 5545."""

from __future__ import annotations

import re
from calendar import monthrange
from collections.abc import Iterator
from datetime import date, datetime, time, timedelta
from functools import lru_cache
from itertools import islice
from typing import NamedTuple

from dateutil.rrule import rrulestr

from kessa.core.errors import CannotCompute

DAILY = "FREQ=DAILY"
FREQUENCIES = ("DAILY", "WEEKLY", "MONTHLY", "YEARLY")
WEEKDAYS = {
    "MO": "Monday",
    "TU": "Tuesday",
    "WE": "Wednesday",
    "TH": "Thursday",
    "FR": "Friday",
    "SA": "Saturday",
    "SU": "Sunday",
}
ORDINALS = {1: "first", 2: "second", 3: "third", 4: "fourth", -1: "last"}
_PARTS = {"FREQ", "INTERVAL", "UNTIL", "BYDAY", "BYMONTHDAY", "BYMONTH", "BYSETPOS", "WKST"}
_LONGEST_RULE = 200
_LARGEST_INTERVAL = 1000
# Long enough for a 29 February over a century's end.
_HORIZON = timedelta(days=9 * 366)


class Rhythm(NamedTuple):
    """A recurrence rule by days, the day from which it counts, and the months of its season (empty: all year)."""

    rule: str
    starts_on: date
    months: tuple[int, ...] = ()

    @property
    def seasonal_rule(self) -> str:
        """The rule with the season written into it as BYMONTH, so that every calendar reads the same days.

        Raises CannotCompute on `rule` where the two have no month in common.
        """
        if not self.months:
            return self.rule
        parts = _parts(self.rule)
        named = {int(month) for month in parts.get("BYMONTH", "").split(",") if month} or set(range(1, 13))
        if not named & set(self.months):
            raise CannotCompute("This rhythm has no month within its season: it never falls due.", "rule")
        parts["BYMONTH"] = ",".join(str(month) for month in sorted(named & set(self.months)))
        return ";".join(f"{name}={value}" for name, value in parts.items())


def check(rhythm: Rhythm) -> None:
    """Refuse a rhythm that cannot be read, is finer than a day or never falls due; raises CannotCompute on `rule`."""
    parts = _parts(rhythm.rule)
    if rhythm.months and parts["FREQ"] == "YEARLY":
        raise CannotCompute("A yearly rhythm names its own month: leave the season empty.", "rule")
    if date.max - _HORIZON < rhythm.starts_on:
        raise CannotCompute("This rhythm begins in no year of ours.", "rule")
    if next(_days(rhythm, rhythm.starts_on + _HORIZON), None) is None:
        raise CannotCompute("This rhythm never falls due: no such day comes in nine years.", "rule")


@lru_cache(maxsize=4096)
def is_readable(rhythm: Rhythm) -> bool:
    """Whether `check` takes a rhythm: one of a later release, or written by hand, may not be."""
    try:
        check(rhythm)
    except CannotCompute:
        return False
    return True


@lru_cache(maxsize=4096)
def around(rhythm: Rhythm, day: date) -> tuple[date | None, date | None]:
    """Return the latest day due up to `day`, and the next after it; None where there is none."""
    latest = None
    for due in _days(rhythm, max(day, rhythm.starts_on) + _HORIZON):
        if due > day:
            return latest, due
        latest = due
    return latest, None


@lru_cache(maxsize=4096)
def between(rhythm: Rhythm, first: date, last: date) -> tuple[date, ...]:
    """Return the days due from `first` to `last`, both included."""
    return tuple(due for due in _days(rhythm, last) if due >= first)


def coming(rhythm: Rhythm, after: date, most: int = 5) -> tuple[date, ...]:
    """Return up to `most` days due after a day."""
    days = _days(rhythm, max(after, rhythm.starts_on) + _HORIZON)
    return tuple(islice((due for due in days if due > after), most))


def in_words(rhythm: Rhythm) -> str:
    """Say a rhythm as people do, such as "last Sunday of the month"; a rule without such words as it stands."""
    parts = _parts(rhythm.rule)
    interval, days = int(parts.get("INTERVAL", "1")), parts.get("BYDAY", "")
    if set(parts) - {"FREQ", "INTERVAL", "BYDAY", "BYMONTHDAY", "WKST"}:
        return rhythm.rule
    if parts["FREQ"] == "DAILY" and not days:
        return "every day" if interval == 1 else f"every {interval} days"
    if parts["FREQ"] == "WEEKLY":
        names = [WEEKDAYS[day] for day in days.split(",") if day in WEEKDAYS] or [rhythm.starts_on.strftime("%A")]
        each = " and ".join(names)
        return f"every {each}" if interval == 1 else f"every {ordinal(interval)} {each}"
    if parts["FREQ"] == "MONTHLY":
        every = "the month" if interval == 1 else f"every {ordinal(interval)} month"
        if "BYMONTHDAY" in parts and not days:
            return f"day {parts['BYMONTHDAY']} of {every}"
        found = re.fullmatch(r"(-?\d)([A-Z]{2})", days)
        if found and int(found[1]) in ORDINALS:
            return f"{ORDINALS[int(found[1])]} {WEEKDAYS[found[2]]} of {every}"
    return rhythm.rule


def ordinal(number: int) -> str:
    """Write "second", "third", "fourth", else "5th" and so on."""
    return ORDINALS.get(number) or f"{number}th"


def _parts(rule: str) -> dict[str, str]:
    if len(rule) > _LONGEST_RULE or not re.fullmatch(r"[A-Z]+=[A-Z0-9,+-]+(;[A-Z]+=[A-Z0-9,+-]+)*", rule):
        raise CannotCompute("Write a rule as in RFC 5545, such as FREQ=MONTHLY;BYDAY=-1SU.", "rule")
    parts = dict(part.split("=") for part in rule.split(";"))
    if parts.get("FREQ") not in FREQUENCIES or set(parts) - _PARTS:
        raise CannotCompute("A rhythm goes by days: FREQ is DAILY, WEEKLY, MONTHLY or YEARLY.", "rule")
    interval = parts.get("INTERVAL", "1")
    if not interval.isdecimal() or not 1 <= int(interval) <= _LARGEST_INTERVAL:
        raise CannotCompute(f"INTERVAL is 1 to {_LARGEST_INTERVAL}.", "rule")
    if any(not month.isdecimal() or not 1 <= int(month) <= 12 for month in parts.get("BYMONTH", "1").split(",")):
        raise CannotCompute("BYMONTH holds months from 1 to 12.", "rule")
    if "BYSETPOS" in parts and parts["FREQ"] in ("DAILY", "WEEKLY"):
        raise CannotCompute("BYSETPOS needs FREQ=MONTHLY or YEARLY.", "rule")
    return parts


def _never_comes(parts: dict[str, str]) -> bool:
    """Whether every day of the month that is named is missing from every month that is named."""
    if "BYMONTHDAY" not in parts:
        return False
    months = [int(month) for month in parts.get("BYMONTH", "1").split(",")]
    longest = max(29 if month == 2 else monthrange(2001, month)[1] for month in months)
    return all(not 1 <= abs(int(day)) <= longest for day in parts["BYMONTHDAY"].split(","))


def _days(rhythm: Rhythm, last: date) -> Iterator[date]:
    parts = _parts(rhythm.seasonal_rule)
    try:
        if _never_comes(parts):
            return
        if "UNTIL" in parts:
            last = min(last, datetime.strptime(parts["UNTIL"], "%Y%m%d").date())
        parts["UNTIL"] = f"{last:%Y%m%d}"
        rule = ";".join(f"{name}={value}" for name, value in parts.items())
        for moment in rrulestr(rule, dtstart=datetime.combine(rhythm.starts_on, time.min)):
            yield moment.date()
    except (ValueError, TypeError, OverflowError, IndexError):
        raise CannotCompute("This rule cannot be read: see RFC 5545, such as FREQ=WEEKLY;BYDAY=TU.", "rule") from None
