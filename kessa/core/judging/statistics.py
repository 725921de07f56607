"""What of a series a limit is about: a single sample, a mean, a percentile; what it asks for and comes to."""

from __future__ import annotations

import math
import re
from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import replace
from datetime import date, datetime, timedelta
from functools import cache
from statistics import fmean
from typing import NamedTuple

from kessa.core.errors import CannotCompute
from kessa.core.quantities.quantity import Quantity, plain

SINGLE = "single sample"
_YEAR = timedelta(days=365)
_A_MONTH_S_WORTH = 20


class Dated(NamedTuple):
    """A result as a statistic sees it, in the limit's unit and form."""

    at: datetime
    quantity: Quantity


class StatisticValue(NamedTuple):
    """What a statistic comes to: a quantity with what it is of, or what is still needed for one.

    `stands_in` says that one reading is taken for it meanwhile.
    """

    quantity: Quantity | None
    words: str = ""
    needs: str = ""
    stands_in: bool = False


class Statistic(NamedTuple):
    """What of a series a limit is about. `of` takes the readings, newest first, and whether the limit is a most.

    `one_will_do`: one reading is held against it, for want of more; `wants_past`: more than one is looked at.
    """

    name: str
    one_will_do: bool
    wants_past: bool
    of: Callable[[Sequence[Dated], bool], StatisticValue]


def statistic_of(name: str) -> Statistic:
    """Return a statistic by its name; raises CannotCompute on `statistic` where it is none of STATISTICS."""
    found = _statistic_of(name)
    if found is None:
        raise CannotCompute(f"statistic must be one of: {', '.join(STATISTICS)}.", "statistic")
    return found


@cache
def _statistic_of(name: str) -> Statistic | None:
    for pattern, make in _KNOWN:
        found = re.fullmatch(pattern, name)
        if found:
            return make(name, *map(int, found.groups()))
    return None


# ---- what they come to -----------------------------------------------------------------------------------------------


def mean(quantities: Sequence[Quantity]) -> Quantity:
    """Return the mean with its interval: the mean of the ends, as results of one kit may be off to one side together.

    Of one that is under a bound ("<") half of it is taken; the interval takes it from 0 to its own end.
    """
    values = [each.value / 2 if each.censor == "<" else each.value for each in quantities]
    highs = [each.high for each in quantities]
    all_below = all(each.censor == "<" for each in quantities)
    over = any(each.censor == ">" for each in quantities)
    censor = ">" if over else "<" if all_below else None
    value = fmean(each.value for each in quantities) if censor else fmean(values)
    high = None if over or None in highs else fmean(each for each in highs if each is not None)
    low = fmean(each.low for each in quantities)
    return replace(quantities[0], value=value, low=min(low, value), high=high, censor=censor)


def _single(name: str) -> Statistic:
    return Statistic(name, True, False, lambda readings, _: StatisticValue(readings[0].quantity))


def _one_reading_for_all(name: str) -> Statistic:
    """A longer time that nobody's kit covers: one reading stands in for it, and says so."""
    words = f"one reading against a {name.replace(' term', '-term value')}"
    return Statistic(name, True, False, lambda readings, _: StatisticValue(readings[0].quantity, words, stands_in=True))


def _mean_of_last(name: str, n: int) -> Statistic:
    def of(readings: Sequence[Dated], _: bool) -> StatisticValue:
        if len(readings) < n:
            return _one_for(name, readings, f"{_count(n - len(readings), 'more reading')} for the {name}")
        return StatisticValue(mean([each.quantity for each in readings[:n]]), f"mean of the last {n}")

    return Statistic(name, True, True, of)


def _set_of(name: str, n: int) -> Statistic:
    def of(readings: Sequence[Dated], _: bool) -> StatisticValue:
        day = [each for each in readings if each.at.date() == readings[0].at.date()]
        if len(day) < n:
            return _one_for(name, readings, f"{_count(n - len(day), 'more reading')} of that day for the {name}")
        return StatisticValue(mean([each.quantity for each in day]), f"mean of {len(day)} of one day")

    return Statistic(name, True, True, of)


def _annual(name: str) -> Statistic:
    """The mean of the four calendar quarters up to that of a reading, each of its monthly means (40 CFR 141.133)."""

    def of(readings: Sequence[Dated], _: bool) -> StatisticValue:
        last = _quarter(readings[0].at.date())
        months: dict[int, dict[int, list[Quantity]]] = {last - k: {} for k in range(4)}
        for each in readings:
            if (quarter := _quarter(each.at.date())) in months:
                months[quarter].setdefault(each.at.month, []).append(each.quantity)
        missing = [quarter for quarter, found in sorted(months.items()) if not found]
        if missing:
            spans = " and ".join(map(_span, missing))
            return _one_for(name, readings, f"a reading of {spans} for the {name}: of each quarter one, at least")
        quarters = [mean([mean(month) for month in found.values()]) for found in months.values()]
        n = sum(len(month) for found in months.values() for month in found.values())
        return StatisticValue(
            mean(quarters), f"mean of four calendar quarters of monthly means, {_count(n, 'reading')}"
        )

    return Statistic(name, True, True, of)


def _quarter(day: date) -> int:
    """Number calendar quarters, one after another."""
    return day.year * 4 + (day.month - 1) // 3


def _span(quarter: int) -> str:
    year, first = divmod(quarter, 4)
    return f"{date(year, first * 3 + 1, 1):%B} to {date(year, first * 3 + 3, 1):%B} {year}"


def _one_for(name: str, readings: Sequence[Dated], needs: str) -> StatisticValue:
    """Let the newest reading stand in for what there are too few readings for."""
    return StatisticValue(readings[0].quantity, f"one reading against a {name}", needs, stands_in=True)


def _percentile(name: str, p: int) -> Statistic:
    """The rank p·n of a year's readings, between two in proportion (Hyndman and Fan 1996, type 4)."""
    least = enough_for(p)

    def of(readings: Sequence[Dated], _: bool) -> StatisticValue:
        year = [each.quantity for each in readings if each.at > readings[0].at - _YEAR]
        if len(year) < least:
            return _one_for(name, readings, f"{_count(least - len(year), 'more reading')} within a year for the {name}")
        return StatisticValue(percentile(year, p), f"{name} of {_count(len(year), 'reading')} of a year")

    return Statistic(name, True, True, of)


def enough_for(percent: int) -> int:
    """Return of how many results a percentile can be told."""
    return max(math.ceil(50 / (100 - percent)), 2)


def percentile(quantities: Sequence[Quantity], p: float) -> Quantity:
    """Return a percentile with its interval: that of the values, and those of the ends (Hyndman and Fan 1996, type 4).

    What was over the range lies beyond all else: the percentile is over it too where it falls among those.
    """
    over = _ranked([math.inf if each.censor == ">" else each.value for each in quantities], p) == math.inf
    high = _ranked([math.inf if each.high is None else each.high for each in quantities], p)
    return replace(
        quantities[0],
        value=_ranked([each.value for each in quantities], p),
        low=_ranked([each.low for each in quantities], p),
        high=None if high == math.inf else high,
        censor=">" if over else None,
    )


# Of fewer taps the highest speaks.
_FEW_TAPS = 5


def over_taps(readings: Sequence[Quantity]) -> tuple[Quantity, tuple[str, ...]]:
    """Return the 90th percentile over a supply's taps, one reading of each in one unit and form, and the working.

    40 CFR 141.80(c): in ascending order the reading of rank 0.9·n, between two in proportion; of five taps so the mean
    of the two highest; of fewer the highest itself. Raises ValueError where there is none.
    """
    n = len(readings)
    found = percentile(readings, 90 if n >= _FEW_TAPS else 100)
    ranked = sorted(readings, key=lambda each: each.value)
    unit = f" {found.unit}" + (f" as {found.form}" if found.form else "")
    by = f"rank 0.9 × {n} = {plain(0.9 * n)}" if n >= _FEW_TAPS else f"of fewer than {_FEW_TAPS} taps the highest"
    return found, (
        f"The newest of {_count(n, 'tap')}, in order: {', '.join(_said(each) for each in ranked)}{unit}",
        f"90th percentile: {by}: {_said(found)}{unit}",
    )


def _said(quantity: Quantity) -> str:
    return f"{quantity.censor or ''}{plain(quantity.value)}"


def _ranked(values: list[float], p: float) -> float:
    ranked = sorted(values)
    rank = min(max(p / 100 * len(ranked), 1), len(ranked))
    first = math.floor(rank)
    after = ranked[min(first, len(ranked) - 1)]
    # Between two, and not beyond: what lies at infinity has no part of it.
    return ranked[first - 1] if rank == first else ranked[first - 1] + (rank - first) * (after - ranked[first - 1])


def _over_days(name: str, n: int, of_day: Callable[[Sequence[Quantity]], Quantity], called: str) -> Statistic:
    """The mean over days in a row of what each of them comes to; until they are there, one reading stands in."""

    def of(readings: Sequence[Dated], _: bool) -> StatisticValue:
        days = _by_day(readings, n)
        if len(days) < n:
            needs = f"readings of {_count(n - len(days), 'more day')} in a row for the {n}-day {called}"
            return _one_for(name, readings, needs)
        return StatisticValue(mean([of_day(each) for each in days]), f"{called} of {n} days")

    return Statistic(name, True, True, of)


def _by_day(readings: Sequence[Dated], n: int) -> list[list[Quantity]]:
    last = readings[0].at.date()
    days: dict[date, list[Quantity]] = defaultdict(list)
    for each in readings:
        if 0 <= (last - each.at.date()).days < n:
            days[each.at.date()].append(each.quantity)
    return list(days.values())


def _least(quantities: Sequence[Quantity]) -> Quantity:
    return min(quantities, key=lambda each: (each.value, each.low))


def _day_minimum(name: str) -> Statistic:
    def of(readings: Sequence[Dated], _: bool) -> StatisticValue:
        [day] = _by_day(readings, 1)
        if len(day) > 1:
            return StatisticValue(_least(day), f"the least of {len(day)} readings of the day")
        needs = "a reading about dawn, when it is least, for the day's minimum"
        return StatisticValue(day[0], f"one reading against a {name}", needs, stands_in=True)

    return Statistic(name, True, True, of)


def _in_a_row(name: str, n: int) -> Statistic:
    """Beyond only where the last n all are: the mildest of them is held against the limit."""

    def of(readings: Sequence[Dated], is_most: bool) -> StatisticValue:
        if len(readings) < n:
            return StatisticValue(None, needs=f"{_count(n - len(readings), 'more reading')} for {name}")
        last = [each.quantity for each in readings[:n]]
        mildest = min(last, key=lambda each: each.value) if is_most else max(last, key=lambda each: each.value)
        return StatisticValue(mildest, f"the mildest of the last {n}: beyond only where all of them are")

    return Statistic(name, False, True, of)


def _month_share(name: str, percent: int) -> Statistic:
    """Of a calendar month so many percent have to be inside: the reading of that rank is held against the limit."""

    def of(readings: Sequence[Dated], is_most: bool) -> StatisticValue:
        last = readings[0].at
        month = [each.quantity for each in readings if (each.at.year, each.at.month) == (last.year, last.month)]
        if len(month) < _A_MONTH_S_WORTH:
            lacking = _A_MONTH_S_WORTH - len(month)
            return StatisticValue(
                None, needs=f"{_count(lacking, 'more reading')} of this month before {name} can be told"
            )
        ranked = sorted(month, key=lambda each: each.value, reverse=not is_most)
        held = ranked[math.ceil(percent / 100 * len(ranked)) - 1]
        return StatisticValue(held, f"{percent} % of {len(ranked)} readings of {last:%B %Y} are at this or better")

    return Statistic(name, False, True, of)


def _count(n: int, what: str) -> str:
    return f"{n} {what}" if n == 1 else f"{n} {what}s"


_KNOWN: tuple[tuple[str, Callable[..., Statistic]], ...] = (
    (r"single sample(?:, .*)?|at any time|daily sample|short term|lowest acceptable|1-hour average(?: .*)?", _single),
    (r"long term", _one_reading_for_all),
    (r"mean of the last ([2-9]|[1-9]\d)", _mean_of_last),
    (r"running annual average", _annual),
    (r"([1-9]\d)th percentile", _percentile),
    (r"([2-9]|[1-9]\d)-day average(?: .*)?", lambda name, n: _over_days(name, n, mean, "average")),
    (r"1-day minimum|daily minimum", _day_minimum),
    (r"([2-9]|[1-9]\d)-day mean minimum", lambda name, n: _over_days(name, n, _least, "mean of minima")),
    (r"two in a row", lambda name: _in_a_row(name, 2)),
    (r"([1-9]\d) % of a month's samples", _month_share),
    (r"mean of a three-sample set", lambda name: _set_of(name, 3)),
)
# As they are offered; a number may be another.
STATISTICS = (
    SINGLE,
    "mean of the last 3",
    "running annual average",
    "90th percentile",
    "4-day average",
    "daily minimum",
    "7-day mean minimum",
    "two in a row",
    "95 % of a month's samples",
    "mean of a three-sample set",
    "long term",
    "short term",
    "1-hour average",
    "lowest acceptable",
    "at any time",
    "daily sample",
)
assert all(_statistic_of(name) for name in STATISTICS)
