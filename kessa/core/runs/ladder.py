"""Every count of a range with its result beforehand, so that the bench speaks without a signal."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from kessa.core.methods.parts import Part
from kessa.core.methods.replicates import Rule
from kessa.core.methods.schema import AgreementRule


@lru_cache(maxsize=128)
def ladder(part: Part, agreement: AgreementRule | None, dilution: float) -> dict[str, Any]:
    """Return what every count of a counted part comes to, from 1 to the maximum, in the part's unit and form.

    `less` are value and high end of what is less than one unit. `lows` are the lower ends by the last unit that surely
    was not enough, from none up; a rung's own lower end is that or `least`, whichever is lower. A rung holds `censor`,
    `value`, `least` and `high`; `over` are value and lower end where there was no end at its count; `agrees` are the
    lowest and highest count of another run that agrees.
    """
    counts = range(1, part.stop_at + 1)
    found = [part.determine({"count": count}, dilution).quantity for count in counts]
    over = [part.determine({"count": count, "endpoint": False}, dilution).quantity for count in counts]
    by = agreement.by(part, dilution) if agreement else None
    values = [each.value for each in found]
    rungs = [
        {
            "censor": quantity.censor or "",
            "value": quantity.value,
            "least": quantity.low,
            "high": quantity.high,
            "over": [over[number].value, over[number].low],
            "agrees": _agreeing(number, values, by) if by else [number + 1] * 2,
        }
        for number, quantity in enumerate(found)
    ]
    # Where the truth begins by the count alone: precision may widen it further, rung by rung.
    lows = [max(part.per * (unit - part.numbers.background) * dilution, 0.0) for unit in range(part.stop_at)]  # type: ignore[attr-defined]
    less = part.determine({"count": 0}, dilution).quantity
    return {"less": [less.value, less.high], "lows": lows, "rungs": rungs}


def _agreeing(number: int, values: list[float], rule: Rule) -> list[int]:
    low = high = number
    while low > 0 and rule.agrees(values[number], values[low - 1]):
        low -= 1
    while high + 1 < len(values) and rule.agrees(values[number], values[high + 1]):
        high += 1
    return [low + 1, high + 1]
