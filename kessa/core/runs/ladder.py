"""Every count of a range with its result beforehand, so that the bench speaks without a signal."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import lru_cache
from typing import Any

from kessa.core.judging.limits import judge_by_sets, overall
from kessa.core.methods.parts import Part
from kessa.core.methods.schema import AgreementRule
from kessa.core.quantities.quantity import Quantity, plain
from kessa.core.runs.replicates import Rule

Spans = list[list[Any]]


@lru_cache(maxsize=128)
def ladder(
    part: Part, agreement: AgreementRule | None, dilution: float, set_keys: tuple[str, ...], rule: str | None = None
) -> dict[str, Any]:
    """Return what every count of a counted part comes to, from 1 to the maximum.

    `lows` are the lower ends (number and words) by the last unit that surely was not enough, from none up; a rung's own
    lower end is that or `least`, whichever is lower. A rung holds `count`, `censor`, `value` and `high` as people write
    them, `verdict` as stretches [up to which such unit, word], and `agrees`: the lowest and highest count of another
    run that agrees.
    """
    counts = range(1, part.stop_at + 1)
    found = [part.determine({"count": count}, dilution).quantity for count in counts]
    by = agreement.by(part, dilution) if agreement else None
    # Where the truth begins by the count alone: precision may widen it further, rung by rung.
    lows = [max(part.per * (unit - part.numbers.background) * dilution, 0.0) for unit in range(part.stop_at)]  # type: ignore[attr-defined]
    rungs = []
    for number, quantity in enumerate(found):
        judged = _verdicts(quantity, lows[: number + 1], part, set_keys, rule)
        rungs.append(
            {
                "count": number + 1,
                "censor": quantity.censor or "",
                "value": plain(quantity.value),
                "high": plain(quantity.high or quantity.value),
                "least": [quantity.low, plain(quantity.low)],
                "verdict": _spans(judged, 0, number),
                "agrees": _agreeing(number, [each.value for each in found], by) if by else [number + 1] * 2,
            }
        )
    return {"lows": [[low, plain(low)] for low in lows], "rungs": rungs}


def _verdicts(
    quantity: Quantity, lows: list[float], part: Part, set_keys: tuple[str, ...], rule: str | None
) -> Callable[[int], str | None]:
    def verdict(unit: int) -> str | None:
        low = min(lows[unit], quantity.low, quantity.value)
        judged = overall(judge_by_sets(replace(quantity, low=low), part.parameter, list(set_keys), rule))
        return judged["verdict"] if judged else None

    return verdict


def _spans(verdict: Callable[[int], str | None], first: int, last: int) -> Spans:
    """Return stretches of equal verdicts: it changes in one direction as the lower end rises, so ends that agree do."""
    if verdict(first) == verdict(last):
        return [[last, verdict(last)]]
    middle = (first + last) // 2
    before, after = _spans(verdict, first, middle), _spans(verdict, middle + 1, last)
    return [*before[:-1], *after] if before[-1][1] == after[0][1] else [*before, *after]


def _agreeing(number: int, values: list[float], rule: Rule) -> list[int]:
    low = high = number
    while low > 0 and rule.agrees(values[number], values[low - 1]):
        low -= 1
    while high + 1 < len(values) and rule.agrees(values[number], values[high + 1]):
        high += 1
    return [low + 1, high + 1]
