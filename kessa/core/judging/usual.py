"""What a place's own past says."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from datetime import date
from functools import cache
from statistics import median, quantiles
from typing import NamedTuple

from kessa.core.quantities.parameters import parameter
from kessa.core.quantities.quantity import Quantity

LEAST_RESULTS = 8
_FAR = 5.0
_UNUSUAL_FACTOR = 1.5
# More days than one season has: there is an earlier one among them.
_TWO_SEASONS = 200


class UsualRange(NamedTuple):
    """What is usual: the median, and the stretch that holds the middle 80 % of `n` results; of a season, its name."""

    median: float
    low: float
    high: float
    n: int
    season: str = ""


_SEASONS = ("December to February", "March to May", "June to August", "September to November")


def season_of(day: date) -> str:
    """Name the quarter of the year of a day by its months, which mean the same on both halves of the earth.

    >>> season_of(date(2026, 1, 25))
    'December to February'
    """
    return _SEASONS[day.month % 12 // 3]


def usual_by_season(past: Sequence[tuple[date, float]], day: date) -> UsualRange | None:
    """Return what is usual on a day from dated values: of its season where there are 8 of it, else of all the year.

    Where the season's 8 span less than two years they are one winter, not winters: all the year stands then.
    """
    return usual_of_seasons(past, [season_of(day)])[season_of(day)]


def usual_of_seasons(
    past: Sequence[tuple[date, float]], seasons: Iterable[str] = _SEASONS
) -> dict[str, UsualRange | None]:
    """Return what is usual from dated values in each of some seasons, as usual_by_season does."""
    by_season: dict[str, list[tuple[date, float]]] = defaultdict(list)
    for when, value in past:
        by_season[season_of(when)].append((when, value))
    every = cache(lambda: usual_range([value for _, value in past]))
    return {season: _of_season(season, by_season[season]) or every() for season in seasons}


def _of_season(season: str, alike: list[tuple[date, float]]) -> UsualRange | None:
    if len(alike) >= LEAST_RESULTS and (max(alike)[0] - min(alike)[0]).days > _TWO_SEASONS:
        found = usual_range([value for _, value in alike])
        return found and found._replace(season=season)
    return None


def usual_range(values: list[float]) -> UsualRange | None:
    """Return the usual range of a place from its own past results, all in one unit and form.

    None with fewer than 8 results. Low and high are the 10th and 90th percentile, interpolated linearly between the
    ranked values (Hyndman and Fan 1996, type 7), of those that lie within five times the middle distance from the
    median (or half of the median): a spill or two do not stretch what is usual.

    >>> usual_range([20, 22, 24, 26, 28, 30, 32, 34]).low
    21.4
    """
    if len(values) < LEAST_RESULTS:
        return None
    middle = median(values)
    reach = max(_FAR * median(abs(value - middle) for value in values), abs(middle) / 2)
    near = [value for value in values if abs(value - middle) <= reach]
    tenths = quantiles(near, n=10, method="inclusive")
    return UsualRange(middle, tenths[0], tenths[-1], len(values))


def is_unusual(quantity: Quantity, usual: UsualRange | None, name: str) -> bool:
    """Whether a result of a parameter is unusual at its place.

    The whole interval lies half as much again above the usual range, or under two thirds of it; a pH or a temperature,
    whose differences count absolutely, so far from it as its parameter says (with the value, as its interval is wide).
    """
    if usual is None:
        return False
    by = parameter(name).unusual_by
    if by is not None:
        return quantity.value > usual.high + by or quantity.value < usual.low - by
    above = quantity.low > usual.high * _UNUSUAL_FACTOR
    below = quantity.high is not None and quantity.high < usual.low / _UNUSUAL_FACTOR
    return above or below
