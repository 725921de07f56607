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


def place_on(steps: Sequence[float], value: float) -> float:
    """Return where a value stands on a card of ascending steps, counted from 0; beyond an end, at the end.

    >>> place_on([0.1, 0.2, 0.4], 0.3)
    1.5
    """
    if value <= steps[0]:
        return 0.0
    for number, (low, high) in enumerate(pairwise(steps)):
        if value <= high:
            return number + (value - low) / (high - low)
    return float(len(steps) - 1)


def value_at(steps: Sequence[float], place: float) -> float:
    """Return what stands at a place of a card of ascending steps; beyond an end its last gap goes on, never below 0.

    >>> value_at([0.1, 0.2, 0.4], 1.5), value_at([0.1, 0.2, 0.4], 2.5), value_at([0.1, 0.2, 0.4], -2)
    (0.30000000000000004, 0.5, 0.0)
    """
    if len(steps) == 1:
        return max(steps[0] * (1 + place), 0.0)
    number = min(max(int(place // 1), 0), len(steps) - 2)
    low, high = steps[number], steps[number + 1]
    return max(low + (place - number) * (high - low), 0.0)
