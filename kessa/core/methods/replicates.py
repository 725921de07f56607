"""Do runs of one sample agree, and which of them count."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import combinations, pairwise
from typing import NamedTuple

from kessa.core.errors import CannotCompute, finite
from kessa.core.readings.card_steps import place_on

RULES = ("units", "relative", "absolute", "steps")
_TIE = 1e-9


class Agreement(NamedTuple):
    """Whether runs agree: `state` is "run again", "agreed" or "not agreed".

    `used` are the indexes that count, `value` their mean, `spread` the distance of the closest pair: in the results'
    unit, in percent where relative, in steps where by steps; None with one run, or where it is infinite.
    """

    state: str
    used: tuple[int, ...]
    value: float
    spread: float | None


class Rule(NamedTuple):
    """When two runs agree.

    "units" compares them as counts worth `per` (> 0) each, "absolute" as differences, "relative" as relative percent
    difference, 100·|a − b|/|mean|, "steps" by where they stand on a card of ascending `steps`. `within` ≥ 0 is what
    still agrees; so does a difference of no more than `floor` (≥ 0, results' unit), whatever the rule.
    """

    rule: str
    within: float
    per: float = 1.0
    floor: float = 0.0
    steps: Sequence[float] = ()

    def apart(self, a: float, b: float) -> float:
        """Return how far apart two results are by the rule's own measure."""
        difference = abs(a - b)
        if self.rule == "units":
            return difference / self.per
        if self.rule == "steps":
            return abs(place_on(self.steps, a) - place_on(self.steps, b))
        if self.rule == "absolute" or difference == 0:
            return difference
        mean = abs(a / 2 + b / 2)
        return 100 * difference / mean if mean else math.inf

    def agrees(self, a: float, b: float) -> bool:
        """Whether two results agree; the last digits of arithmetic are forgiven."""
        near = self.floor > 0 and abs(a - b) <= self.floor + _TIE * max(abs(a), abs(b), 1.0)
        return near or self.apart(a, b) <= self.within + _TIE


def agree(values: Sequence[float], rule: Rule, most: float = 3) -> Agreement:
    """Judge replicates by their closest pair; where several are equally close, all their runs count.

    `values` are results, one or more; after `most` runs no further is asked for. Raises CannotCompute on `values` where
    they are too far apart to compute with.

    >>> agree([82.5, 90, 112.5], Rule("units", 1, per=7.5))
    Agreement(state='agreed', used=(0, 1), value=86.25, spread=7.5)
    """
    if len(values) == 1:
        return Agreement("run again", (0,), values[0], None)
    pairs = [(rule.apart(values[a], values[b]), a, b) for a, b in combinations(range(len(values)), 2)]
    closest = min(apart for apart, _, _ in pairs)
    chosen = [(a, b) for apart, a, b in pairs if apart == closest or apart <= closest + _TIE]
    used = tuple(sorted({index for pair in chosen for index in pair}))
    agreed = any(rule.agrees(values[a], values[b]) for a, b in chosen)
    otherwise = "run again" if len(values) < most else "not agreed"
    value = finite(math.fsum(values[index] / len(used) for index in used), "values")
    a, b = chosen[0]
    spread = closest if rule.rule in ("relative", "steps") else abs(values[a] - values[b])
    return Agreement("agreed" if agreed else otherwise, used, value, spread if math.isfinite(spread) else None)


def check_rule(rule: str, steps: Sequence[float] | None) -> None:
    """Refuse a rule by steps without ascending steps; raises CannotCompute on `steps`."""
    if rule == "steps" and not steps:
        raise CannotCompute("Agreement by steps needs the card's steps.", "steps")
    if steps and any(after <= before for before, after in pairwise(steps)):
        raise CannotCompute("steps must rise from step to step.", "steps")
