"""Numbers that carry from where to where they may lie, through arithmetic."""

from __future__ import annotations

from collections.abc import Callable
from itertools import product
from typing import NamedTuple

from kessa.core.errors import CannotCompute


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
