"""Every count of a range with its result beforehand, so that the bench speaks without a signal."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from kessa.core.limits import judge_by_sets, overall
from kessa.core.methods.parts import Part
from kessa.core.methods.schema import AgreementRule
from kessa.core.quantity import plain
from kessa.core.replicates import agree


@lru_cache(maxsize=128)
def ladder(
    part: Part, agreement: AgreementRule, dilution: float, set_keys: tuple[str, ...], rule: str | None = None
) -> list[dict[str, Any]]:
    """Return a rung a count of a counted part, from 1 to the maximum.

    A rung holds `count`, `value` and `high` as people write them, `low` and `verdict` by the unit at which the colour
    began to turn (index 0 for the first), and `agrees`: the lowest and highest count of another run that agrees.
    """
    reader = part.reader()
    per = (part.numbers.per or 1.0) * dilution
    counts = range(1, (part.numbers.stop_at or 0) + 1)
    values = {count: reader.determine({"count": count}, dilution).quantity.value for count in counts}
    rungs = []
    for count in counts:
        lows, verdicts = [], []
        for first_change in range(1, count + 1):
            quantity = reader.determine({"count": count, "first_change": first_change}, dilution).quantity
            decisive = overall(judge_by_sets(quantity, part.parameter, list(set_keys), rule))
            lows.append(plain(quantity.low))
            verdicts.append(decisive["verdict"] if decisive else None)
        agreeing = [
            other
            for other in counts
            if agree([values[count], values[other]], agreement.within, agreement.rule, per).state == "agreed"
        ]
        rungs.append(
            {
                "count": count,
                "value": plain(values[count]),
                "high": plain(quantity.high or quantity.value),
                "low": lows,
                "verdict": verdicts,
                "agrees": [agreeing[0], agreeing[-1]],
            }
        )
    return rungs
