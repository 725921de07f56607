"""Holding what the runs came to against the limits and the place's own past."""

from collections.abc import Mapping
from typing import Any, NamedTuple

from django.utils import timezone

from kessa.core.advising.of_the_test import steps_of_the_test
from kessa.core.judging.conclusive import would_be_conclusive
from kessa.core.judging.holding import overall, rule_for
from kessa.core.judging.judge import NOT_SETTLED, Bounds
from kessa.core.judging.plausible import PAIRED, Circumstance, Doubt
from kessa.core.judging.usual import UsualRange
from kessa.core.methods.parts import Part
from kessa.core.methods.schema import Method
from kessa.core.quantities.parameters import parameter
from kessa.core.quantities.quantity import Quantity
from kessa.record.advice.advising import Stands, reading, steps_about
from kessa.record.determinations.models import Determination
from kessa.record.determinations.state import Bench, flags_of
from kessa.record.kits.models import Kit
from kessa.record.methods.selectors import families_of, methods_of
from kessa.record.places.models import Place
from kessa.record.results.assessing import NOT_ASSESSED, Assessed, assess
from kessa.record.results.context import context_of, pairs_at, readings_of, seen_on
from kessa.record.results.history import series_of, usual_and_last
from kessa.record.visits.models import Sample

_FRACTION = "fraction"


class Judged(NamedTuple):
    """An outcome as it was assessed, its flags, and what the test asks for next."""

    assessed: Assessed
    flags: list[str]
    test_asks: tuple[str, ...]
    # What is asked about the number, and what was answered for.
    asked: list[Doubt] = []
    answered: list[Doubt] = []


def fraction_of(bench: Bench) -> str:
    """Return whether dissolved or total was tested, where the method asks."""
    return str(bench.answers.get(_FRACTION, ""))


def judge_outcome(determination: Determination, part: Part, bench: Bench) -> Judged:
    """Judge what the runs came to so far for a part; needs a quantity."""
    outcome = bench.outcomes[part.key]
    assert outcome.quantity is not None
    flags = flags_of(determination, part, bench)
    place, sample = determination.place, determination.sample
    if place is None or sample is None:
        return Judged(NOT_ASSESSED, flags, ("Write it down: the check is judged then.",))
    rule = rule_for(part.parameter, determination.near_limit, screened=determination.method.screening)
    series = series_of(determination.method, part, determination.written_form(part), fraction_of(bench))
    usual, last = usual_and_last(place, series, before=sample.drawn_at)
    sets = determination.rule_sets
    context = context_of(place, sample, part.parameter, sets, usual, sample.drawn_at)
    seen = None if outcome.quantity.words else _seen(place, sample, part.parameter, outcome.quantity, usual, last)
    agreed = outcome.may_agree
    assessed = assess(part.parameter, outcome.quantity, sets, rule, context, seen, part, agreed=agreed)
    asks = steps_of_the_test(
        determination.method,
        part,
        outcome,
        methods_of(determination.team_id).get(part.next_range or ""),
        # A count over the range says nothing about the limit yet: the repeat will.
        _finer_methods(determination, part, overall(assessed.judgements))
        if assessed.verdict == NOT_SETTLED and not outcome.next
        else (),
    )
    asked = [doubt for doubt in assessed.doubts if (part.key, doubt.key) not in bench.sure]
    answered = [doubt for doubt in assessed.doubts if doubt not in asked]
    flags += [*(doubt.key for doubt in asked), *(["unusual"] if assessed.unusual else [])]
    return Judged(assessed, flags, asks, asked, answered)


def _seen(
    place: Place, sample: Sample, name: str, quantity: Quantity, usual: UsualRange | None, last: list[float]
) -> Circumstance:
    """Return what a number is seen beside, from which follows what is asked about it before it is written down."""
    pair = None if usual or last else pairs_at(place, name, sample.drawn_at).get("reference")
    same = pair and (pair.unit, pair.form) == (quantity.unit, quantity.form)
    depth = seen_on(sample.visit).get("water depth") if name == "secchi depth" else None
    return Circumstance(
        readings=readings_of(sample) if parameter(name).key in PAIRED else {},
        usual=usual,
        last=last,
        pair=pair.value if pair and same else None,
        water=place.water,
        at=timezone.localtime(sample.drawn_at),
        depth_cm=depth.value if depth else None,
    )


def _finer_methods(determination: Determination, part: Part, decisive: Mapping[str, Any] | None) -> list[str]:
    """Return what of the team's own would tell on which side of the deciding limit the water is, in words."""
    if decisive is None or decisive.get("than"):
        return []
    value, low, high, censor = decisive["held"]
    quantity = Quantity(value, low, high, censor, decisive["unit"], decisive["as"])
    bounds = Bounds(decisive["min"], decisive["max"])
    known = families_of(determination.team_id)
    kits = Kit.objects.for_team(determination.team_id).values_list("name", "families")
    found: dict[str, str] = {}
    for kit, families in kits:
        for method in (each for family in families for each in known.get(family, [])):
            finer = next((each for each in method.parts if each.parameter == part.parameter), None)
            if finer and method.key != determination.method_key and would_be_conclusive(finer, quantity, bounds):
                found.setdefault(
                    method.key,
                    f"{_called(method)} ({kit})",
                )
    weighed = _weighed(determination)
    if weighed and would_be_conclusive(weighed.part(part.key), quantity, bounds):
        found["weighed"] = "the same test with its bottle's drops weighed, 20 on a balance"
    return list(found.values())


def _called(method: Method) -> str:
    return method.test_name if method.range_name == "one range" else f"{method.test_name}, {method.range_name}"


def _weighed(determination: Determination) -> Method | None:
    """Return the method as it would be with its drops weighed; None where they are, or where it counts no drops."""
    method = determination.method
    if method.drop_of is None or getattr(method.main.numbers, "unit_ratio", 1.0) != 1.0:
        return None
    supply, drop_ml = method.drop_of
    return method.with_weighed({supply: drop_ml * 20})


def steps_for(place: Place | None, newest: list[Stands], part: Part, quantity: Quantity, judged: Judged) -> list[str]:
    """Say what to do about what the runs came to so far, with all else that is `newest` at the place."""
    if place is None:
        return list(judged.test_asks)
    now = judged.assessed
    found = reading(part.parameter, quantity, now.judgements, judged.flags, now.not_judged)
    return steps_about(place, newest, found, judged.test_asks, judged.flags)


def steps_of_case(
    place: Place, newest: list[Stands], part: Part, quantity: Quantity, judgements: list[dict[str, Any]]
) -> list[str]:
    """Say what such a result of a part asks for: no flag of it, and no limit that rests on others, is known yet."""
    return steps_about(place, newest, reading(part.parameter, quantity, judgements, (), ()), (), ())
