"""Which standing verdicts would be others by another version of a rule set. Nothing is changed by looking."""

from typing import Any, NamedTuple

from kessa.core.job.schools import near_limit
from kessa.core.judging.holding import judge_by_sets, verdict_by
from kessa.core.judging.limits import RuleSet
from kessa.core.judging.usual import UsualRange
from kessa.core.quantities.parameters import parameter as known_parameter
from kessa.record.places.models import Place
from kessa.record.results.context import context_of
from kessa.record.results.models import Result
from kessa.record.rules.selectors import house_rules
from kessa.record.visits.models import Sample

_PLACES = 200


class Change(NamedTuple):
    """The newest result of a series at a place, with its verdict and the one it would have."""

    result: Any
    before: str
    after: str


class Preview(NamedTuple):
    """How many places are judged by a set, how many of their newest results it bears on, and which would change."""

    places: int
    results: int
    changes: list[Change]


def preview_of(team_id: int, rule_set: RuleSet) -> Preview:
    """Hold the newest result of each series, at each place that is judged by a set, against this version of it."""
    places = Place.objects.for_team(team_id).filter(limit_sets__contains=[rule_set.key])[:_PLACES]
    known = {place.pk: place for place in places}
    names = {name for limit in rule_set.limits for name in _names(limit.parameter)}
    # By number: by itself a place is in order of its name.
    series = ("place_id", "parameter", "fraction", "method_class", "unit")
    rows = (
        Result.objects.for_team(team_id)
        .current()
        .filter(place__in=known, parameter__in=_with_old(team_id, known, names))
    )
    newest = rows.order_by(*series, "-taken_at", "-id").distinct(*series).select_related("determination__sample__visit")
    changes, looked_at = [], 0
    for result in newest:
        result.place = known[result.place_id]
        looked_at += 1
        after = _verdict(result, rule_set)
        if after != result.verdict:
            changes.append(Change(result, result.verdict, after))
    return Preview(len(known), looked_at, changes)


def _names(parameter: str) -> tuple[str, ...]:
    found = known_parameter(parameter)
    return (parameter, found.key, *found.also)


def _with_old(team_id: int, known: dict[int, Place], names: set[str]) -> set[str]:
    """What the set judges no more may change too: every parameter of which there are verdicts at its places."""
    rows = Result.objects.for_team(team_id).filter(place__in=known).exclude(verdict="")
    return names | set(rows.order_by().values_list("parameter", flat=True).distinct())


def _verdict(result: Result, rule_set: RuleSet) -> str:
    """Return the verdict with this version of the set in place of the one it was judged by; the others stand."""
    others = [each for each in result.judgements if each["set"] != rule_set.key]
    rule = near_limit(house_rules(result.team_id).chosen)
    usual = UsualRange(**result.usual) if result.usual else None
    sample: Sample | None = result.determination.sample if result.determination else result.sample
    context = context_of(result.place, sample, result.parameter, (rule_set,), usual, result.taken_at)
    again = judge_by_sets(result.quantity, result.parameter, [rule_set], rule, context)
    return verdict_by(result.parameter, [*others, *again]) or ""
