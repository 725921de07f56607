"""What stands at a place as readings: held against the limits of its sets, with what follows from them."""

from __future__ import annotations

from collections.abc import Sequence

from kessa.core.advising.advice import Reading, Where
from kessa.core.derived.recipes import RECIPES, derive, lacking
from kessa.core.errors import CannotCompute
from kessa.core.judging.holding import Context, judge_by_sets
from kessa.core.judging.limits import RuleSet
from kessa.core.quantities.quantity import Quantity

# Of what follows from readings, what limits speak of.
_FOLLOWS = ("nitrogen-sum", "nitrogen-ratio", "unionised-ammonia")


def readings_by_sets(where: Where, readings: Sequence[Reading], sets: Sequence[RuleSet]) -> list[Reading]:
    """Return the readings of one sample, and what follows from them, each with its judgements by the sets.

    Each limit is held by its own rule; what it needs besides (pH, temperature, hardness) is taken from the others.
    """
    given = {each.parameter: each.quantity for each in readings}
    context = Context(readings=given, kind=where.kind, feeds=where.feeds)
    return [
        each._replace(judgements=judge_by_sets(each.quantity, each.parameter, sets, None, context))
        for each in (*readings, *_following(where, given))
    ]


def _following(where: Where, given: dict[str, Quantity]) -> list[Reading]:
    found = []
    for recipe in RECIPES:
        holds = recipe.holds_at(where.kind, where.water)
        if recipe.key in _FOLLOWS and holds and recipe.parameter not in given and not lacking(recipe, given):
            try:
                found.append(Reading(recipe.parameter, derive(recipe, given).quantity))
            except CannotCompute:
                continue
    return found
