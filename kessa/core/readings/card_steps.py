"""Steps in order, as comparators, strips and lot tables have them: how wide a reading at a step is."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from kessa.core.errors import CannotCompute


def check_ascending(values: Sequence[float], field: str) -> Sequence[float]:
    """Return the values if each is above the one before and none below 0; raises CannotCompute on `field`."""
    if not values or values[0] < 0 or any(after <= before for before, after in pairwise(values)):
        raise CannotCompute(f"{field} must rise from step to step, from 0 or more.", field)
    return values


def span_at(values: Sequence[float], index: int) -> tuple[float, float]:
    """Return the interval of a reading at a step: half-way to either neighbour, the step itself at an end.

    >>> span_at([0.1, 0.2, 0.5], 1)
    (0.15000000000000002, 0.35)
    """
    here = values[index]
    low = (values[index - 1] + here) / 2 if index else here
    high = (here + values[index + 1]) / 2 if index + 1 < len(values) else here
    return low, high
