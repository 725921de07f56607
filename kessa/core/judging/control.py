"""Control charts of single values: centre and limits from one's own past, and rules for what cannot be chance."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from itertools import pairwise
from statistics import fmean, stdev
from typing import NamedTuple

from kessa.core.errors import CannotCompute
from kessa.core.quantities.students_t import students_t

LEAST, BASE = 8, 20
# The mean moving range of pairs is 1.128 standard deviations (d2 for n = 2).
_D2 = 1.128
# What each rule says where it is broken.
RULES = {
    "beyond": "outside the limits",
    "two-of-three": "two of three in a row beyond two thirds of the way to a limit",
    "four-of-five": "four of five in a row beyond a third of the way to a limit",
    "one-side": "eight in a row on one side of the centre",
    "drift": "six in a row that rise, or fall",
}


class Chart(NamedTuple):
    """A control chart: `broken` says by index which rules a point breaks, the first the gravest."""

    centre: float
    sigma: float
    values: tuple[float, ...]
    broken: Mapping[int, tuple[str, ...]]

    @property
    def limits(self) -> tuple[float, float]:
        """Three standard deviations to either side: beyond them lies one in 370 by chance."""
        return self.centre - 3 * self.sigma, self.centre + 3 * self.sigma


def control_chart(values: Sequence[float], least_sigma: float = 0.0) -> Chart:
    """Chart values in order of time; the first 20 make centre and limits (Shewhart, ISO 7870-2: moving range).

    `least_sigma` is what a finest step of reading makes of itself, below which no spread is believed. Raises
    CannotCompute on `values` where there are fewer than 8.
    """
    if len(values) < LEAST:
        raise CannotCompute(f"A chart wants {LEAST} values: there are {len(values)}.", "values")
    base = values[:BASE]
    centre = fmean(base)
    sigma = max(fmean(abs(b - a) for a, b in pairwise(base)) / _D2, least_sigma)
    # What lies nearer to the centre than half a finest step lies on it.
    steps = [_step(value - centre, sigma, least_sigma / 2) for value in values]
    broken = {n: tuple(rule for rule in RULES if _BREAKS[rule](steps[: n + 1])) for n in range(len(values))}
    return Chart(centre, sigma, tuple(values), {n: rules for n, rules in broken.items() if rules})


def _step(off: float, sigma: float, still: float) -> float:
    if abs(off) <= still or off == 0:
        return 0.0
    return off / sigma if sigma else math.copysign(math.inf, off)


def _several(steps: Sequence[float], of: int, wanted: int, beyond: float) -> bool:
    """Whether so many of the last lie beyond, all on the side of the last, which is one of them."""
    last = steps[-of:]
    side = math.copysign(1, last[-1])
    return len(last) == of and last[-1] * side > beyond and sum(each * side > beyond for each in last) >= wanted


def _drifts(steps: Sequence[float]) -> bool:
    turns = [b - a for a, b in pairwise(steps[-6:])]
    return len(turns) == 5 and (all(turn > 0 for turn in turns) or all(turn < 0 for turn in turns))


_BREAKS: dict[str, Callable[[Sequence[float]], bool]] = {
    "beyond": lambda steps: abs(steps[-1]) > 3,
    "two-of-three": lambda steps: _several(steps, 3, 2, 2),
    "four-of-five": lambda steps: _several(steps, 5, 4, 1),
    "one-side": lambda steps: _several(steps, 8, 8, 0),
    "drift": _drifts,
}


class Apart(NamedTuple):
    """How far two groups lie apart: the second's mean less the first's, with its 95 % interval."""

    by: float
    low: float
    high: float

    @property
    def differs(self) -> bool:
        """Whether they can be told apart: the interval does not hold 0."""
        return self.low > 0 or self.high < 0


def groups_apart(first: Sequence[float], second: Sequence[float]) -> Apart | None:
    """Return how far two groups lie apart (Welch's t); None where either has fewer than 3."""
    if len(first) < 3 or len(second) < 3:
        return None
    parts = [stdev(each) ** 2 / len(each) for each in (first, second)]
    by, total = fmean(second) - fmean(first), sum(parts)
    if total == 0:
        return Apart(by, by, by)
    freedom = total**2 / sum(part**2 / (len(each) - 1) for part, each in zip(parts, (first, second), strict=True))
    half = students_t(max(int(freedom), 1)) * math.sqrt(total)
    return Apart(by, by - half, by + half)


def own_spread(percents: Sequence[float]) -> float:
    """Return to what percent a result is good by one's own standards: how far off their mean is, and their spread.

    `percents` are what was found of each standard; the spread is that of 19 in 20. Raises
    CannotCompute on `percents` where there are fewer than 8.
    """
    if len(percents) < LEAST:
        raise CannotCompute(f"The spread wants {LEAST} standards: there are {len(percents)}.", "percents")
    return abs(fmean(percents) - 100) + students_t(len(percents) - 1) * stdev(percents)
