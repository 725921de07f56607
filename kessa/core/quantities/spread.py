"""Numbers that carry from where to where they may lie, through arithmetic."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import cache
from itertools import product
from statistics import NormalDist
from typing import NamedTuple

from kessa.core.errors import CannotCompute

# An interval that holds 95 of 100 reaches so many standard deviations to each side.
SIGMAS = 1.96
# How many numbers are drawn.
_DRAWN, _STRIDE = 1000, 379


class Spread(NamedTuple):
    """A number and the ends between which the truth lies; `high` None where nothing bounds it."""

    value: float
    low: float
    high: float | None


def exactly(value: float) -> Spread:
    """Return a number that is not in doubt."""
    return Spread(value, value, value)


def within_percent(value: float, percent: float) -> Spread:
    """Return a number that may be so many percent (0 to 100) off."""
    return Spread(value, value * (1 - percent / 100), value * (1 + percent / 100))


def spread(of: Callable[..., float], *given: Spread) -> Spread:
    """Return what a formula gives for numbers that are in doubt: its own value, and the ends it takes at their corners.

    It must turn nowhere between the corners. Where it has no answer at a corner, or a number has no upper end, nothing
    bounds it above. Raises CannotCompute as the formula does for the numbers themselves.

    >>> spread(lambda a, b: a / b, Spread(6, 5, 7), exactly(2))
    Spread(value=3.0, low=2.5, high=3.5)
    """
    value, found, bounded = of(*(each.value for each in given)), [], True
    for corner in product(*((each.low, each.value if each.high is None else each.high) for each in given)):
        try:
            found.append(of(*corner))
        except CannotCompute:
            bounded = False
    bounded = bounded and all(each.high is not None for each in given)
    return Spread(value, min(value, *found) if found else value, max(value, *found) if bounded else None)


class Shared(NamedTuple):
    """An error that some of the numbers have in common, by their places: up to `percent` of each, to the same side."""

    places: frozenset[int]
    percent: float


def propagated(
    of: Callable[..., float], value: float, *given: Spread, shared: Shared | None = None
) -> tuple[float, float]:
    """Return both ends between which 95 of 100 results of a formula lie, around its own `value`.

    By propagation of distributions (JCGM 101:2008): each number is drawn within its ends, normally to either side, and
    independently of the others but for what they have `shared` (6.4.8: the rest of each by squares); the draws are the
    same each time, one from each of 1000 equal shares. All `given` are bounded. Raises what the formula raises.
    """
    if shared is None and all(each.low == each.high for each in given):
        return value, value
    common = [
        shared.percent / 100 * each.value if shared and place in shared.places else 0.0
        for place, each in enumerate(given)
    ]
    results = sorted(
        of(*(_within(*each) + each[2] * together / SIGMAS for each in zip(given, shares, common, strict=True)))
        for *shares, together in _shares(len(given) + 1)
    )
    tail = _DRAWN // 40
    return min(results[tail], value), max(results[-tail - 1], value)


def _within(given: Spread, z: float, common: float) -> float:
    reach = (given.value if given.high is None else given.high) - given.value if z > 0 else given.value - given.low
    return given.value + math.sqrt(max(reach**2 - common**2, 0.0)) * z / SIGMAS


@cache
def _shares(many: int) -> list[tuple[float, ...]]:
    """Return points for so many numbers, in standard deviations, none beyond an interval's ends."""
    evenly = (NormalDist().inv_cdf((n + 0.5) / _DRAWN) for n in range(_DRAWN))
    inside = [max(-SIGMAS, min(SIGMAS, z)) for z in evenly]
    # Korobov's lattice: a stride that shares no divisor with how many there are meets every share once.
    return [tuple(inside[n * _STRIDE**k % _DRAWN] for k in range(many)) for n in range(_DRAWN)]
