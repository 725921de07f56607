"""What every reading of a part comes to, worked out beforehand, so that the bench speaks without a signal."""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Any

from kessa.core.errors import CannotCompute
from kessa.core.judging.holding import Context, judge_part
from kessa.core.judging.limits import RuleSet
from kessa.core.judging.stretches import examples, verdict_stretches
from kessa.core.methods.parts import Part
from kessa.core.methods.replicates import Rule
from kessa.core.methods.schema import AgreementRule
from kessa.core.quantities.quantity import Quantity
from kessa.core.readings.card_steps import place_on
from kessa.core.readings.straight_lines import Found, straight_lines
from kessa.core.runs.ladder import ladder

# As far as results are compared; beyond it they are told apart by whoever works it out from the readings.
_FAR = 1e7
_verdicts = lru_cache(maxsize=256)(verdict_stretches)


@lru_cache(maxsize=256)
def beforehand(
    part: Part,
    agreement: AgreementRule | None,
    dilution: float,
    form: str | None,
    sets: tuple[RuleSet, ...],
    rule: str | None = None,
    kind: str = "",
    feeds: frozenset[str] = frozenset(),
) -> dict[str, Any]:
    """Return by what the readings of a part become results, their runs one result, and that a verdict.

    `axes` are the ways of reading (Axis.as_sent) with `lines` and `points` (straight_lines) of value, low and high end
    in the part's unit and form, and the censor; `covers` count `covered` times there. `agreement` says which runs agree
    (see _agreeing), `times` leads to the form in which it is written, `verdicts` are verdict_stretches. A way of
    reading that cannot be worked out, as with a lot's table that is missing, is left out. `form` None is the part's
    own; `kind` is that of the place, `feeds` what its water is used for. Of what is counted the ladder stands in place
    of axes.
    """
    return {
        "axes": _axes(part, dilution),
        "ladder": ladder(part, agreement, dilution) if part.numbers.has_blank else None,
        "covered": dilution,
        "times": part.factor(form)[0] if form and form != part.form else 1.0,
        "form": form or part.form,
        "agreement": _agreeing(agreement, agreement.by(part, dilution)) if agreement else None,
        "verdicts": _verdicts(part, form, sets, rule, kind, feeds),
    }


@lru_cache(maxsize=256)
def cases(
    part: Part,
    form: str | None,
    sets: tuple[RuleSet, ...],
    rule: str | None = None,
    kind: str = "",
    feeds: frozenset[str] = frozenset(),
) -> dict[str, tuple[Quantity, list[dict[str, Any]]]]:
    """Return a result for each way in which `verdicts` of beforehand may judge a part, with its judgements.

    The keys are those of stretches.examples.
    """
    verdicts = _verdicts(part, form, sets, rule, kind, feeds)
    if not verdicts:
        return {}
    one, context = Quantity(1.0, 1.0, 1.0, None, part.unit, form or part.form), Context(kind=kind, feeds=feeds)
    return {
        key: (quantity, judge_part(quantity, part, sets, rule, agreed=agreed, context=context))
        for key, (quantity, agreed) in examples(verdicts, one).items()
    }


# What takes longest to work out, and is the same at every place.
@lru_cache(maxsize=256)
def _axes(part: Part, dilution: float) -> list[dict[str, Any]]:
    axes = []
    for axis in part.numbers.axes(part.display_units, part.paths_mm):

        def look(x: float, reading: Any = axis.reading) -> Found:
            found = part.determine(reading(x), dilution).quantity
            return (found.value, found.low, found.high), found.words or found.censor or ""

        try:
            lines: list[list[Any]] = []
            if axis.whole:
                points = [[x, *look(x)] for x in range(math.ceil(axis.least), math.floor(axis.most) + 1)]
            else:
                lines, points = straight_lines(look, axis.least, axis.most, axis.marks)
        except CannotCompute:
            continue
        axes.append({**axis.as_sent(), "lines": lines, "points": points})
    return axes


def _agreeing(agreement: AgreementRule, rule: Rule) -> dict[str, Any]:
    """Return which runs agree and which are closest; `most` and `takes` are the rule's own.

    Two results agree that differ by no more than `floor`, or by no more than `within` by what is compared: themselves,
    their natural "logarithm" (|a − b| ≤ w·(a + b)/2 just where |ln a − ln b| ≤ ln((2 + w)/(2 − w))), or their places on
    a card by straight lines.
    """
    data = {"most": agreement.most, "takes": agreement.takes, "floor": rule.floor, "compares": "results"}
    if rule.rule == "relative":
        part = min(rule.within / 100, 2 - 1e-9)
        return {**data, "within": math.log((2 + part) / (2 - part)), "compares": "logarithms"}
    if rule.rule == "steps":
        lines, _ = straight_lines(lambda x: ((place_on(rule.steps, x),), ""), 0.0, _FAR, rule.steps)
        return {**data, "within": rule.within, "compares": "places", "places": lines}
    return {**data, "within": rule.within * (rule.per if rule.rule == "units" else 1.0)}
