"""Holding a result against every limit that speaks of it, and what its verdict comes to."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from datetime import UTC, datetime
from typing import Any, NamedTuple

from kessa.core.errors import CannotCompute
from kessa.core.judging.formulas import NO_TROUT, computed_limit
from kessa.core.judging.judge import (
    CLOSE,
    INSIDE,
    NOT_SETTLED,
    OUTSIDE,
    SIMPLE,
    Bounds,
    Interval,
    chance_beyond,
    gravity,
    judge,
)
from kessa.core.judging.limits import PERCENT, Limit, RuleSet, rule_sets, speaking_of, window_of
from kessa.core.judging.protected import PROTECTED
from kessa.core.judging.statistics import Dated, StatisticValue
from kessa.core.judging.usual import UsualRange
from kessa.core.methods.parts import Part
from kessa.core.quantities.parameters import parameter as known_parameter
from kessa.core.quantities.quantity import Quantity
from kessa.core.quantities.units import in_words

# What verdicts become where runs do not agree.
NOT_AGREED = {INSIDE: NOT_SETTLED, CLOSE: NOT_SETTLED}
_SOME_DAY = datetime(2000, 1, 1, tzinfo=UTC)


class Paired(NamedTuple):
    """Results of one day at both ends of a pair: here, and there."""

    at: datetime
    here: Quantity
    there: Quantity


class Context(NamedTuple):
    """What a result of a moment is seen beside.

    `readings` of the same sample by parameter, `past` earlier results of this one there, the newest first, `pairs`
    by what the other place is (see Limit.compared) and `past_pairs` of earlier days, what is usual here, the kind of
    place and what the water feeds. `counted` says in words which of the earlier results are among them. Of a supply,
    `taps` is over how many of its taps the result was taken; 0 where it is one reading.
    """

    at: datetime = _SOME_DAY
    readings: Mapping[str, Quantity] = {}
    past: Sequence[Dated] = ()
    pairs: Mapping[str, Quantity] = {}
    past_pairs: Mapping[str, Sequence[Paired]] = {}
    usual: UsualRange | None = None
    kind: str = ""
    feeds: frozenset[str] = frozenset()
    counted: str = ""
    taps: int = 0


ALONE = Context()


class Held(NamedTuple):
    """A verdict on what was held against a limit, in the limit's unit and form.

    `statistic` says what of the series that was; where a formula gave the limit, `computed` is its number, `rests_on`
    from what it is.
    """

    verdict: str
    margin: float
    statistic: StatisticValue
    computed: float | None = None
    rests_on: str = ""


def hold(result: Quantity, limit: Limit, rule: str | None = None, context: Context = ALONE) -> Held:
    """Hold a result against one limit; raises CannotCompute with the reason where there is no way, or what lacks."""
    by = rule or limit.decided_by
    if limit.formula:
        return _by_formula(result, limit, by, context)
    if limit.compared:
        there = _compared(result, _other(limit, context, result), limit)
        past = _past_compared(limit, context)
    else:
        there, past = result.converted(limit.unit, limit.form), _past(limit, context)
    statistic = _statistic(limit, [Dated(context.at, there), *past], context)
    if statistic.quantity is None:
        raise CannotCompute(f"it needs {statistic.needs}", "statistic")
    verdict, margin = judge(_interval(statistic.quantity), Bounds(limit.min, limit.max), by)
    if verdict == CLOSE and in_words(limit.unit):
        # What is absent is not close to being there.
        verdict = INSIDE
    if statistic.words and not (statistic.stands_in or context.taps) and limit.about.wants_past and context.counted:
        statistic = statistic._replace(words=f"{statistic.words}, {context.counted}")
    return Held(verdict, margin, statistic)


def _statistic(limit: Limit, readings: Sequence[Dated], context: Context) -> StatisticValue:
    """Return what a limit's statistic makes of the readings; of many taps each has its own, for who drinks there."""
    if limit.over and not context.taps:
        words = f"one reading against a {limit.statistic} of a supply's taps"
        needs = "a reading at each of its taps" if context.kind == "supply" else ""
        return StatisticValue(readings[0].quantity, words, needs, stands_in=True)
    if limit.over:
        return StatisticValue(readings[0].quantity, f"{limit.statistic} of {context.taps} taps")
    return limit.about.of(readings, limit.max is not None)


def _interval(of: Quantity) -> Interval:
    return Interval(of.value, of.low, of.high, of.censor)


def _past(limit: Limit, context: Context) -> list[Dated]:
    past = []
    for each in context.past:
        try:
            past.append(Dated(each.at, each.quantity.converted(limit.unit, limit.form)))
        except CannotCompute:
            continue
    return past


def _past_compared(limit: Limit, context: Context) -> list[Dated]:
    """Return the earlier differences, or parts: of days on which both ends were tested, or from what is usual now."""
    if limit.compared == "usual":
        pairs = [Paired(each.at, each.quantity, _other(limit, context, each.quantity)) for each in context.past]
    else:
        pairs = list(context.past_pairs.get(limit.compared or "", ()))
    past = []
    for pair in pairs:
        try:
            past.append(Dated(pair.at, _compared(pair.here, pair.there, limit)))
        except CannotCompute:
            continue
    return past


def _compared(result: Quantity, other: Quantity, limit: Limit) -> Quantity:
    """Return the difference from what a limit compares with, or what percent of it there is."""
    unit, form = (result.unit, result.form) if limit.unit == PERCENT else (limit.unit, limit.form)
    here, there = result.converted(unit, form), other.converted(unit, form)
    if there.high is None:
        raise CannotCompute("what it compares with was over its range", "compared")
    # Of what is under its bound half is taken.
    against = there.value / 2 if there.censor == "<" else there.value
    if limit.unit != PERCENT:
        high = None if here.high is None else here.high - there.low
        return replace(here, value=here.value - against, low=here.low - there.high, high=high)
    if against <= 0:
        raise CannotCompute("there is nothing to compare it with: that was 0", "compared")
    high = None if here.high is None or not there.low else 100 * here.high / there.low
    value = 100 * here.value / against
    return replace(here, value=value, low=min(100 * here.low / there.high, value), high=high, unit=PERCENT)


def _other(limit: Limit, context: Context, result: Quantity) -> Quantity:
    if limit.compared == "usual":
        if context.usual is None:
            raise CannotCompute("it needs to be known first what is usual here: 8 results, at least", "compared")
        usual = context.usual.median
        return Quantity(usual, usual, usual, None, result.unit, result.form)
    found = context.pairs.get(limit.compared or "")
    if found is None:
        named = {"upstream": "the place upstream", "supply": "the supply"}.get(
            limit.compared or "", "the place compared"
        )
        raise CannotCompute(f"it needs a result of the same day at {named}", "compared")
    return found


def _by_formula(result: Quantity, limit: Limit, by: str, context: Context) -> Held:
    """Hold a result against a limit that its own sample gives: as a share of it, as that has an interval too."""
    there = result.converted(limit.unit, limit.form)
    found = computed_limit(limit.formula or "", context.readings, trout=NO_TROUT not in context.feeds)
    statistic = limit.about.of([Dated(context.at, there)], True)
    high = None if there.high is None else there.high / found.least
    share = Interval(there.value / found.value, there.low / found.most, high, there.censor)
    verdict, margin = judge(share, Bounds(max=1.0), by)
    return Held(verdict, margin * found.value, statistic._replace(quantity=there), found.value, found.words)


# ---- all that speak of it ------------------------------------------------------------------------------------------


def judge_by_sets(
    result: Quantity, parameter: str, sets: Sequence[RuleSet], rule: str | None = None, context: Context = ALONE
) -> list[dict[str, Any]]:
    """Hold a result against every limit of the sets for its parameter, each in the limit's own unit and form.

    `rule` is "simple" or "guarded" for all of them, None for each limit's own. A limit that cannot be held against it
    is left out: see not_judged. Returns one record a limit, with the limit and its source as they are today, ready to
    be kept with the result.
    """
    judgements = []
    for rule_set, limit, held in _held_by(result, parameter, sets, rule, context):
        if isinstance(held, Held):
            tell = rule_set.tells.get(limit.tell)
            named = {
                "set": rule_set.key,
                "set_title": rule_set.title,
                "set_version": rule_set.version,
                "role": rule_set.role,
                "told_by": tell.words if tell else "",
                "told_within_h": tell.within_h if tell else None,
            }
            judgements.append(_record(limit, held, rule) | named)
    return judgements


def _held_by(
    result: Quantity, parameter: str, sets: Sequence[RuleSet], rule: str | None, context: Context
) -> Iterator[tuple[RuleSet, Limit, Held | CannotCompute]]:
    """Yield every limit that speaks of a parameter, with what holding a result against it gives, or why it cannot."""
    for rule_set, limit in speaking_of(parameter, sets, context.kind, context.feeds):
        if context.taps and not limit.over:
            # What is said of single readings is said of each tap's own.
            continue
        try:
            yield rule_set, limit, hold(result, limit, rule, context)
        except CannotCompute as reason:
            yield rule_set, limit, reason


def _record(limit: Limit, held: Held, rule: str | None) -> dict[str, Any]:
    data = limit.model_dump(mode="json", by_alias=True, exclude_defaults=True, exclude={"min", "max", "form", "tell"})
    of, by = held.statistic.quantity, rule or limit.decided_by
    bounded = limit.min is not None or limit.max is not None
    assert of is not None
    return {
        "as": limit.form,
        "min": limit.min,
        "max": limit.max if held.computed is None else held.computed,
        "statistic": limit.statistic,
        "source": limit.source,
        "note": limit.note,
        **data,
        "rule": by,
        "protects": limit.protects,
        "than": _THAN[limit.compared][limit.unit == PERCENT] if limit.compared else "",
        "against_average": held.statistic.words if held.statistic.stands_in else None,
        "of": "" if held.statistic.stands_in else held.statistic.words,
        "held": [of.value, of.low, of.high, of.censor],
        "needs": held.statistic.needs,
        "rests_on": held.rests_on,
        "verdict": held.verdict,
        "margin": held.margin,
        "chance": chance_beyond(_interval(of), Bounds(limit.min, limit.max)) if by == SIMPLE and bounded else None,
    }


# How a limit compares: by its difference from something, or by what part of it there is.
_THAN = {
    "upstream": ("more than at the place upstream", "of what is at the place upstream"),
    "supply": ("more than in the supply", "of what is in the supply"),
    "reference": ("more than at the place compared", "of what is at the place compared"),
    "usual": ("more than usual here", "of what is usual here"),
}


def not_judged(
    result: Quantity, parameter: str, sets: Sequence[RuleSet], context: Context = ALONE
) -> list[tuple[RuleSet, Limit, str]]:
    """Return the limits that speak of a parameter and cannot be held against a result, each with the reason."""
    left = []
    for rule_set, limit, reason in _held_by(result, parameter, sets, None, context):
        if isinstance(reason, CannotCompute):
            ours = reason.field in _TOLD_BY_US
            given = reason.message if ours else f"{result.unit} does not convert into {limit.unit}"
            left.append((rule_set, limit, given))
    return left


# The fields on which a reason of our own stands, written to be read after "not judged".
_TOLD_BY_US = ("statistic", "compared", "formula", "ph", "temperature_c", "hardness")


def judge_by_window(result: Quantity, part: Part) -> dict[str, Any]:
    """Hold a result against what the method itself wants, as judge_by_sets does."""
    window = window_of(part)
    named = {"set": "method", "set_title": "wanted by the method", "set_version": 1, "role": "method"}
    return _record(window, hold(part.own(result), window), None) | named


def judge_part(
    result: Quantity,
    part: Part,
    sets: Sequence[RuleSet],
    rule: str | None = None,
    *,
    agreed: bool = True,
    context: Context = ALONE,
) -> list[dict[str, Any]]:
    """Hold a result of a part against the sets and what its method wants; `agreed` is whether its runs agreed."""
    judgements = judge_by_sets(result, part.parameter, sets, rule, context)
    if part.wanted:
        judgements.append(judge_by_window(result, part))
    return judgements if agreed else unsettled(judgements)


def verdict_by(
    name: str, judgements: Sequence[Mapping[str, Any]], decisive: Mapping[str, Any] | None = None
) -> str | None:
    """Return the verdict that judgements come to; None where nothing judges, or they settle nothing.

    A most alone says nothing of what there may be too little of. `decisive` is their `overall`, where it is known.
    """
    decisive = decisive or overall(judgements)
    if decisive is None:
        return None
    inside = decisive["verdict"] == INSIDE
    settles = not (inside and says_too_little(name, [each.get("min") for each in judgements]))
    return decisive["verdict"] if settles else None


def says_too_little(name: str, least: Sequence[float | None]) -> bool:
    """Whether being inside says nothing: of what there may be too little of, no limit names a least."""
    return known_parameter(name).needs_least and all(each is None for each in least)


def overall(judgements: Iterable[Mapping[str, Any]]) -> Mapping[str, Any] | None:
    """Return the judgement that decides: the most urgent verdict, health before taste, then the least part of a limit.

    None without limits.
    """
    return min(judgements, key=urgency, default=None)


def urgency(judgement: Mapping[str, Any]) -> tuple[int, int, float]:
    """Return by what judgements are in order of urgency, the most urgent first.

    First the verdict, then what the limit protects, then how far the value lies inside it as a part of the limit.
    """
    protects = PROTECTED[protects_of(judgement)]
    return -gravity(judgement["verdict"]), protects.rank, part_of_limit(judgement)


def protects_of(judgement: Mapping[str, Any]) -> str:
    """Return what the limit of a judgement protects; of one kept before limits said so, what its set's limit says."""
    if (given := judgement.get("protects")) in PROTECTED:
        return str(given)
    now = rule_sets().get(judgement.get("set", ""))
    named = judgement.get("parameter", "")
    return next((limit.protects for limit in now.limits if limit.parameter == named), "health") if now else "treatment"


def part_of_limit(judgement: Mapping[str, Any]) -> float:
    """Return how far inside its limit a value lies, as a part of that limit; negative beyond it."""
    bounds = [bound for bound in (judgement.get("min"), judgement.get("max")) if bound is not None]
    margin = float(judgement["margin"])
    if "held" not in judgement or not bounds:
        return margin
    near = min(bounds, key=lambda bound: abs(abs(judgement["held"][0] - bound) - abs(margin)))
    return margin / abs(near) if near else margin


def side_of(judgement: Mapping[str, Any]) -> str:
    """Return whether a value is nearer to, or beyond, the "high" or the "low" end of what a limit allows."""
    least, most = judgement.get("min"), judgement.get("max")
    if least is None or most is None:
        return "low" if most is None else "high"
    value = float(judgement["held"][0])
    return "high" if value - least > most - value else "low"


def own_words(judgements: Iterable[Mapping[str, Any]]) -> str:
    """Return what the sets' own words ask for beyond their limits; of several that of the limit which asks for most."""
    beyond = sorted(
        (each for each in judgements if each["verdict"] == OUTSIDE),
        key=lambda each: (-len(each.get("codes", ())), urgency(each)),
    )
    given = (str(each.get(f"do_{side_of(each)}", "")) for each in beyond)
    return next(filter(None, given), "")


def rule_for(name: str, school: str | None, *, screened: bool) -> str | None:
    """Return by which rule a parameter is judged: the team's school, but a screening settles no acute limit by value.

    A card or a strip tells a step, and what is worked out from one no more; where a limit is about a single drink or
    day, all of its interval has to be inside.
    """
    return "guarded" if screened and known_parameter(name).acute else school


def unsettled(judgements: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Return judgements of runs that do not agree: what would be inside or close is not settled."""
    return [{**each, "verdict": NOT_AGREED.get(each["verdict"], each["verdict"])} for each in judgements]
