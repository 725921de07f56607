"""Steps in order, as comparators, strips and lot tables have them: how wide a reading at a step is."""

from __future__ import annotations

from itertools import pairwise

from kessa.core.arguments import CannotCompute


def check_ascending(values: list[float], field: str) -> list[float]:
    """Return the values if each is above the one before and none below 0; raises CannotCompute on `field`."""
    if values[0] < 0 or any(after <= before for before, after in pairwise(values)):
        raise CannotCompute(f"{field} must rise from step to step, from 0 or more.", field)
    return values


def span_at(values: list[float], index: int) -> tuple[float, float]:
    """Return the interval of a reading at a step: half-way to either neighbour, the step itself at an end."""
    here = values[index]
    low = (values[index - 1] + here) / 2 if index else here
    high = (here + values[index + 1]) / 2 if index + 1 < len(values) else here
    return low, high
