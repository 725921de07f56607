"""Student's t: how wide an interval is that rests on few numbers."""

from __future__ import annotations

import math
from statistics import NormalDist


def students_t(freedom: int) -> float:
    """Return the two-sided 95 % point of Student's t for 1 or more degrees of freedom, by halving."""
    low, high = 1.9, 13.0
    for _ in range(60):
        middle = (low + high) / 2
        low, high = (middle, high) if probability_below(middle, freedom) < 0.975 else (low, middle)
    return (low + high) / 2


def probability_below(t: float, freedom: int) -> float:
    """Return the probability below t (Abramowitz and Stegun 26.7.3 and 26.7.4: exact for whole degrees of freedom).

    Beyond 400 degrees by their 26.7.8, which is as good there to the sixth digit.
    """
    if freedom > 400:
        return NormalDist().cdf(t * (1 - 1 / (4 * freedom)) / math.sqrt(1 + t * t / (2 * freedom)))
    theta = math.atan(t / math.sqrt(freedom))
    cos, sin = math.cos(theta), math.sin(theta)
    term, total = 1.0, 0.0
    if freedom % 2:
        term = cos
        for k in range(1, (freedom - 1) // 2 + 1):
            total += term
            term *= cos * cos * 2 * k / (2 * k + 1)
        between = 2 / math.pi * (theta + sin * total)
    else:
        for k in range(1, freedom // 2 + 1):
            total += term
            term *= cos * cos * (2 * k - 1) / (2 * k)
        between = sin * total
    return 0.5 + between / 2
