"""What a place's own past says."""

from __future__ import annotations

from statistics import median, quantiles
from typing import NamedTuple

LEAST_RESULTS = 8


class UsualRange(NamedTuple):
    """What is usual: the median, and the stretch that holds the middle 80 % of `n` results."""

    median: float
    low: float
    high: float
    n: int


def usual_range(values: list[float]) -> UsualRange | None:
    """Return the usual range of a place from its own past results, all in one unit and form.

    None with fewer than 8 results. Low and high are the 10th and 90th percentile, interpolated linearly between the
    ranked values (Hyndman and Fan 1996, type 7), so that a spill or two does not stretch what is usual.

    >>> usual_range([20, 22, 24, 26, 28, 30, 32, 34]).low
    21.4
    """
    if len(values) < LEAST_RESULTS:
        return None
    tenths = quantiles(values, n=10, method="inclusive")
    return UsualRange(median(values), tenths[0], tenths[-1], len(values))
