"""What a series does over the years, in one plain sentence each."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from datetime import date
from statistics import median

from kessa.core.errors import CannotCompute
from kessa.core.judging.trend import LEAST_POINTS, Below, trend
from kessa.core.judging.usual import season_of
from kessa.core.quantities.quantity import deserved, plain

_YEAR = 365.25
# Over less than this a season looks like a trend.
_LEAST_DAYS = 330
_LEAST_MONTHS = 3
_CHANCE = 0.05


def trend_sentence(points: Sequence[tuple[date, float | Below]], unit: str) -> str:
    """Say whether dated values rise or fall, by how much a year, and whether that may be chance.

    By season where there are two years of it, so that a winter is held against winters. `unit` as it is written.
    """
    if len(points) < LEAST_POINTS:
        return f"No trend can be told from {_count(len(points))}: it takes {LEAST_POINTS}, and a year."
    days = [each[0].toordinal() for each in points]
    if max(days) - min(days) < _LEAST_DAYS:
        months = max(round((max(days) - min(days)) / 30.4), 1)
        return (
            f"{_count(len(points)).capitalize()} over {months} month{'s' if months > 1 else ''}: a trend takes a year."
        )
    by_season = max(days) - min(days) > 2 * _YEAR
    seasons = [season_of(each[0]) for each in points] if by_season else None
    try:
        found = trend([day / _YEAR for day in days], [each[1] for each in points], seasons)
    except CannotCompute as reason:
        return reason.message
    if found.p >= _CHANCE or not found.slope:
        return f"No trend shown with {_count(len(points))}: it may as well be chance (p = {_p(found.p)})."
    verb = "Rising" if found.slope > 0 else "Falling"
    if found.slope_low is None or found.slope_high is None:
        return f"{verb} by about {plain(abs(found.slope))} {unit} a year; not chance (p = {_p(found.p)})."
    low, high = sorted((abs(found.slope_low), abs(found.slope_high)))
    write = deserved(abs(found.slope), found.slope_low, found.slope_high)
    about = f"{verb} by about {write(abs(found.slope))} {unit} a year ({write(low)} to {write(high)})"
    return f"{about}; not chance (p = {_p(found.p)})."


def against_last_year(points: Sequence[tuple[date, float]], today: date) -> str:
    """Say in how many of the last twelve months a series lay lower than in the same month a year before."""
    months: dict[tuple[int, int], list[float]] = defaultdict(list)
    for day, value in points:
        months[day.year, day.month].append(value)
    lower = higher = 0
    for back in range(12):
        year, month = divmod(today.year * 12 + today.month - 1 - back, 12)
        now, before = months.get((year, month + 1)), months.get((year - 1, month + 1))
        if now and before:
            lower += median(now) < median(before)
            higher += median(now) > median(before)
    both = lower + higher
    if both < _LEAST_MONTHS:
        return ""
    word, n = ("lower", lower) if lower >= higher else ("higher", higher)
    return f"Against the year before: {word} in {n} of {both} months."


def _count(n: int) -> str:
    return f"{n} reading{'s' if n != 1 else ''}"


def _p(p: float) -> str:
    return "under 0.001" if p < 0.001 else f"{p:.3f}" if p < 0.1 else f"{p:.2f}"
