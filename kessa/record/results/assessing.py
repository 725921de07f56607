"""Assessing a number: by the limits of its place, by what is usual there, and by what is asked about it."""

from collections.abc import Sequence
from typing import Any, NamedTuple

from kessa.core.judging.holding import Context, judge_by_sets, judge_part, not_judged, verdict_by
from kessa.core.judging.limits import RuleSet
from kessa.core.judging.plausible import Circumstance, Doubt, doubts_about
from kessa.core.judging.usual import UsualRange, is_unusual
from kessa.core.methods.parts import Part
from kessa.core.quantities.quantity import Quantity


class Assessed(NamedTuple):
    """How a number stands: its verdict (empty where there is none), by which limits, and what is asked about it."""

    verdict: str
    judgements: list[dict[str, Any]]
    # Which limits speak of it and could not be held against it: the set's title, and why.
    not_judged: list[tuple[str, str]]
    usual: UsualRange | None
    unusual: bool
    doubts: list[Doubt]


NOT_ASSESSED = Assessed("", [], [], None, False, [])


def assess(
    parameter: str,
    quantity: Quantity,
    sets: Sequence[RuleSet],
    rule: str | None,
    context: Context,
    seen: Circumstance | None = None,
    part: Part | None = None,
    *,
    agreed: bool = True,
) -> Assessed:
    """Return how a number of a parameter stands by the limits of the sets, in its context.

    `rule` is the team's, None for each limit's own; `seen` is what doubts follow from, None where nothing is asked;
    `part` is the part of a method by which it was tested, and `agreed` whether its runs did.
    """
    usual = context.usual
    judgements = (
        judge_part(quantity, part, sets, rule, agreed=agreed, context=context)
        if part
        else judge_by_sets(quantity, parameter, sets, rule, context)
    )
    return Assessed(
        verdict_by(parameter, judgements) or "",
        judgements,
        [(found.title, why) for found, _, why in not_judged(quantity, parameter, sets, context)],
        usual,
        is_unusual(quantity, usual, parameter),
        doubts_about(parameter, quantity, seen) if seen and not quantity.words else [],
    )
