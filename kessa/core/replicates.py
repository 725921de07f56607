"""Do runs of one sample agree, and which of them count."""

from __future__ import annotations

import math
from itertools import combinations
from typing import Any, NamedTuple

from kessa.core.arguments import Arguments, CannotCompute

RULES = ("units", "relative", "absolute")
_TIE = 1e-9
_MOST_VALUES = 1000


class Agreement(NamedTuple):
    """Whether runs agree: `state` is "run again", "agreed" or "not agreed".

    `used` are the indexes that count, `value` their mean, `spread` their difference (percent where relative).
    """

    state: str
    used: tuple[int, ...]
    value: float
    spread: float | None


def agree(values: list[float], within: float, rule: str = "units", per: float = 1.0, most: float = 3) -> Agreement:
    """Judge replicates by their closest pair.

    `values` are results; "units" compares them as counts worth `per` (> 0) each, "absolute" as differences, "relative"
    as relative percent difference, 100·|a − b|/mean. `within` ≥ 0 is what still agrees; `most` the runs after which no
    further is asked for. Raises CannotCompute on `values` where a relative difference has no meaning.
    """
    if len(values) == 1:
        return Agreement("run again", (0,), values[0], None)
    pairs = [(_apart(values[a], values[b], rule, per), a, b) for a, b in combinations(range(len(values)), 2)]
    closest = min(apart for apart, _, _ in pairs)
    if not math.isfinite(closest):
        raise CannotCompute("Values this far apart, or with a mean of 0, cannot be compared.", "values")
    apart, first, second = next(pair for pair in pairs if pair[0] <= closest + _TIE)
    otherwise = "run again" if len(values) < most else "not agreed"
    state = "agreed" if apart <= within + _TIE else otherwise
    a, b = values[first], values[second]
    return Agreement(state, (first, second), a / 2 + b / 2, apart if rule == "relative" else abs(a - b))


def _apart(a: float, b: float, rule: str, per: float) -> float:
    difference = abs(a - b)
    if rule == "units":
        return difference / per
    if rule == "absolute" or difference == 0:
        return difference
    mean = abs(a / 2 + b / 2)
    return 100 * difference / mean if mean else math.inf


def answer_replicates(arguments: Arguments) -> dict[str, Any]:
    """Answer the op `replicates`."""
    agreement = agree(
        arguments.numbers("values", most=_MOST_VALUES),
        arguments.number("within", least=0.0),
        arguments.text("rule", "units", choices=RULES),
        arguments.number("per", 1.0, above=0.0),
        arguments.whole("most", 3, least=1),
    )
    return {**agreement._asdict(), "used": list(agreement.used)}
