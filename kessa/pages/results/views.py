"""One result: what it is, how it was calculated, what it was judged by, and what followed."""

import uuid
from contextlib import suppress
from typing import Any

from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET

from kessa.core.errors import CannotCompute
from kessa.core.job.meaning import meaning_of
from kessa.core.job.schools import complete, questions
from kessa.core.judging.plausible import DOUBTS
from kessa.core.judging.written import bearing_on, other_forms
from kessa.core.methods.steps import UNKNOWN, Ask
from kessa.core.quantities.parameters import parameter
from kessa.core.quantities.quantity import plain
from kessa.core.quantities.units import sign
from kessa.core.runs.flags import ENDS, FLAGS
from kessa.pages.base.only import only_or_404
from kessa.pages.bench.forms import DilutionForm
from kessa.pages.results.taps_in_words import taps_in_words
from kessa.record.actions.selectors import answering
from kessa.record.advice.advising import newest_at, reading_of, standing, steps_about
from kessa.record.derived.of_samples import missing_readings
from kessa.record.determinations.models import Determination
from kessa.record.determinations.state import lots_of
from kessa.record.instruments.models import Instrument
from kessa.record.kits.models import Lot
from kessa.record.methods.selectors import methods_of
from kessa.record.people.access import TeamRequest, member
from kessa.record.photographs.selectors import photographs_of_test
from kessa.record.places.selectors import reference_of
from kessa.record.quality.models import QualityCheck
from kessa.record.quality.selectors import checks_bearing_on
from kessa.record.results import may
from kessa.record.results.models import Result
from kessa.record.results.pairs import pairs_speak
from kessa.record.results.selectors import Row, in_own_form, result_at, tests_after, with_others
from kessa.record.rules.selectors import house_rules


@member
@require_GET
def result(request: TeamRequest, pk: int) -> HttpResponse:
    """One result with its working."""
    team = request.membership.team
    found = only_or_404(result_at(team=team.pk, pk=pk))
    others = with_others(found)
    if found.determination is None:
        return render(request, "results/derived.html", _of_any(found) | _of_derived(found))
    context = {
        **_of_any(found),
        "asks_repeat": any(FLAGS[flag].repeat or FLAGS[flag].advice for flag in found.flags if flag in FLAGS),
        "reference": reference_of(found.place),
        "waits_for": missing_readings(found.determination.sample) if found.determination.sample else [],
        "may_put_right": may.correct(request.membership, found.determination),
        "may_set_aside": may.exclude(request.membership, found),
        **_of_determination(found, others),
    }
    return render(request, "results/result.html", context)


def _of_any(found: Result) -> dict[str, Any]:
    """What is shown of a result, tested or worked out: its marks, what to do next, what it means."""
    word = house_rules(found.team_id).said_to_the_public(found.verdict) if found.verdict else ""
    return {
        "result": found,
        "marks": [(mark, _lots_at_fault(found, mark.flag)) for mark in found.active_marks if mark.flag not in ENDS],
        "lifted": [mark for mark in found.marks.all() if mark.lifted_at],
        "steps": _steps(found),
        "actions": answering(found),
        "sets": found.determination.limit_sets if found.determination else found.place.limit_sets,
        "doubts": DOUBTS,
        "spoken": pairs_speak(found, found.place),
        "meaning": meaning_of(found.parameter, found.place.water),
        "public_word": word if word != found.verdict else "",
    }


def _steps(found: Result) -> list[str]:
    """What is to be done about a result, with all else that is newest at its place."""
    if found.ended:
        return []
    place, flags = found.place, found.flags
    return steps_about(place, standing(place, newest_at(place)), reading_of(Row(found, flags)), found.test_asks, flags)


def _of_derived(found: Result) -> dict[str, Any]:
    """What was worked out from other results, and what it rests on."""
    rows = Result.objects.for_team(found.team_id).filter(pk__in=found.made_from.get("results", []))
    return {
        "rests_on": rows.select_related("place").prefetch_related("marks"),
        "visit": found.made_from.get("visit"),
        "read_by": Instrument.objects.for_team(found.team_id).filter(pk=found.made_from.get("instrument")).first(),
        "replaces": Result.objects.for_team(found.team_id).filter(marks__replaced_by=found).distinct(),
    }


def _answered(ask: Ask, answers: dict[str, Any]) -> str:
    """Say what was answered to a question."""
    answer = answers.get(ask.key)
    if answer is None or answer == UNKNOWN:
        return "not answered" if answer is None else "not measured"
    chosen = ask.chosen(answer)
    return chosen.name if chosen else f"{plain(answer)} {sign(ask.unit or '')}".rstrip()


def _lots_at_fault(found: Result, flag: str) -> list[Lot]:
    """The lots of which a flag speaks, where it is about lots."""
    if not flag.startswith("lot-") or found.determination is None:
        return []
    lots = lots_of(team=found.team_id, test=found.determination_id)
    return [use.lot for use in lots if flag in use.faults]


def _of_determination(found: Result, others: list[Result]) -> dict[str, Any]:
    """What the test of a result says besides: its method, checks, taps, the results beside and before."""
    determination = found.determination
    assert determination is not None
    method = determination.method
    part = method.part(found.part)
    own = in_own_form(found)
    answers = found.readings.get("answers", {})
    following = tests_after(team=found.team_id, test=determination.pk)
    return {
        "determination": determination,
        "method": method,
        "part": part,
        "checks": checks_bearing_on(found),
        "worth": part.titrant.worth_of_a_unit() if part.titrant else None,
        "also": [part.written_as(own, form) for form in other_forms(part, found.form or None)],
        "beside": [each for each in others if each.ended is None and each.part != found.part],
        "history": [each for each in others if each.part == found.part],
        "answers": [
            (step.text if step.text.endswith("?") else f"{step.text}:", step.ask.key, _answered(step.ask, answers))
            for step in method.steps
            if step.ask
        ],
        "may_spike": part.numbers.can_be_checked
        and len(method.finds) == 1
        and not (method.screening or found.ended)
        and parameter(part.parameter).differences == "proportion",
        "by_another": found.ended is None
        and determination.sample is not None
        and not determination.sample.too_old_at(timezone.now(), method.keeps_hours),
        "runs": [(number, part.said(read)) for number, read in found.runs.items()],
        "next_method": methods_of(found.team_id).get(part.next_range) if found.censor and part.next_range else None,
        "continued": next((each for each in following if each["continues"] == determination.pk), None),
        "replacement": next((each for each in following if each["supersedes"] == determination.pk), None),
        "schools": [
            (question.ask, question.name_of(complete(determination.house_rules)[key]))
            for key, question in questions().items()
            if key in bearing_on(method, part)
        ],
        "photographs": photographs_of_test(team=found.team_id, test=determination.pk),
        "dilutions": DilutionForm.choices,
        "once": uuid.uuid4(),
        **_estimated(found),
    }


def _estimated(result: Result) -> dict[str, Any]:
    """What another test of the same sample says about a result beyond its range: about how much to dilute for."""
    if result.censor != ">" or result.determination is None:
        return {}
    part = result.determination.method.part(result.part)
    others = (
        Result.objects.for_team(result.team_id)
        .current()
        .filter(determination__sample=result.determination.sample, parameter=result.parameter, value__gt=0)
    )
    for other in others.exclude(censor=">").select_related("determination").newest_first():
        with suppress(CannotCompute):
            return {"estimate": other.quantity.converted(part.unit, part.form).value, "estimate_from": other}
    return {}


@member
@require_GET
def determination(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """Lead from a test to its newest result, to what its check came to, or to the bench while it is open."""
    found = get_object_or_404(Determination.objects.for_team(request.membership.team), pk=pk)
    if found.closed_at is not None and QualityCheck.objects.for_team(found.team_id).filter(determination=pk).exists():
        return redirect("quality:check", pk)
    rows = Result.objects.for_team(found.team_id).filter(determination=found).order_by("-pk")
    newest = rows.current().first() or rows.first()
    if found.closed_at is None or newest is None:
        return redirect("bench:determination", pk)
    return redirect("results:result", newest.pk)


@member
@require_GET
def taps(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """Every tap of a test, where a page asks for them."""
    found = get_object_or_404(Determination.objects.for_team(request.membership.team), pk=pk)
    return render(request, "results/told.html", {"taps": taps_in_words(found)})
