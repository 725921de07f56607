"""The practice bench: lessons, made-up water on the bench, what was right, and who may do what alone."""

import uuid
from typing import Any

from django.contrib import messages
from django.core.exceptions import PermissionDenied, ValidationError
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_GET, require_POST

from kessa.core.methods.schema import Method
from kessa.core.practice.lessons import lessons
from kessa.core.practice.scoring import Point, held
from kessa.core.practice.world import TRAITS
from kessa.pages.practice.forms import JudgeForm, LookForm, OrderForm, QuestionsForm, RemarkForm, RuleForm, VouchForm
from kessa.pages.practice.page import before_of, outcome_of, panel_of
from kessa.pages.results.taps_in_words import taps_in_words
from kessa.record.determinations.state import bench_of
from kessa.record.methods.selectors import families_of, methods_of
from kessa.record.people.access import TeamRequest, coordinator, member
from kessa.record.people.may import Rule
from kessa.record.people.selectors import members
from kessa.record.practice import may, services
from kessa.record.practice.models import Practised
from kessa.record.practice.selectors import lately, lessons_passed, proofs
from kessa.record.taps.hands import whose
from kessa.record.taps.selectors import counted

_GOES = 20


@member
@require_GET
def index(request: TeamRequest) -> HttpResponse:
    """The lessons in order, the tests of the team, and what was practised lately."""
    team, person = request.membership.team, request.user
    passed = lessons_passed(team.pk, person=person.pk)[person.pk]
    context = {
        "lessons": [(lesson, lesson.key in passed) for lesson in lessons().values()],
        "next": next((lesson for lesson in lessons().values() if lesson.key not in passed), None),
        "families": _by_name(families_of(team.pk)),
        "lately": lately(team=team.pk, person=person.pk),
        "proofs": {family: proof for (_, family), proof in proofs(team, person.pk).items()},
    }
    return render(request, "practice/index.html", context)


@member
@require_POST
def begin(request: TeamRequest) -> HttpResponse:
    """Begin a go at a lesson, or at a method by itself."""
    lesson = lessons().get(request.POST.get("lesson", ""))
    key = lesson.method if lesson else request.POST.get("method", "")
    method = methods_of(request.membership.team_id).get(key or "")
    if lesson is None and method is None:
        raise Http404
    if lesson and lesson.method and method is None:
        messages.error(request, "This cannot be practised: its test is none of your team's.")
        return redirect("practice:index")
    made = services.begin(request.membership, method, lesson)
    return redirect("practice:go", made.pk)


def _own(request: TeamRequest, pk: uuid.UUID, rule: Rule = may.go_on) -> Practised:
    rows = Practised.objects.for_team(request.membership.team_id).select_related("person")
    found: Practised = get_object_or_404(rows, pk=pk)
    if not rule(request.membership, found):
        raise PermissionDenied(rule.refusal)
    return found


@member
def go(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """What comes before the bench: a look at kit and sample; or a lesson without a test."""
    found = _own(request, pk)
    if found.closed_at:
        return redirect("practice:scored", pk)
    if "looked" in found.said:
        return redirect("practice:bench", pk)
    lesson = found.lesson
    if not found.family and lesson is None:
        raise Http404
    form = _form_of(found, request.POST if request.method == "POST" else None)
    if request.method == "POST" and form.is_valid():
        if found.family:
            services.say(request.membership, found, **form.cleaned_data)
            return redirect("practice:bench", pk)
        services.answer(request.membership, found, form.points())
        return redirect("practice:scored", pk)
    context = {"go": found, "lesson": lesson, "form": form}
    if found.family:
        context |= before_of(found)
    return render(request, "practice/go.html", context, status=422 if form.errors else 200)


def _form_of(found: Practised, given: Any) -> Any:
    if found.family:
        return LookForm(found, given)
    lesson = found.lesson
    assert lesson is not None
    return OrderForm(lesson, found.pk.int, given) if lesson.order else QuestionsForm(lesson, given)


@member
@require_GET
@ensure_csrf_cookie
def bench(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """The bench, with the water that was made up."""
    found = _own(request, pk)
    if not found.family:
        return redirect("practice:go", pk)
    if found.closed_at:
        return redirect("practice:scored", pk)
    if "looked" not in found.said:
        return redirect("practice:go", pk)
    context = panel_of(found, counted(found.team_id, found.pk), whose(request.membership), request.user.colours_alike)
    return render(request, "practice/bench.html", context)


@member
@require_GET
def outcome(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """What the runs come to so far."""
    found = _own(request, pk)
    if not found.family:
        raise Http404
    state = bench_of(found.determination, counted(found.team_id, found.pk))
    return render(request, "bench/outcome.html", outcome_of(found, state))


@member
def scored(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """What was right, and what each slip would have done; first the verdict, where the lesson asks for one."""
    found = _own(request, pk, may.see)
    own = found.person_id == request.user.pk
    if not found.closed_at:
        return redirect("practice:go", pk) if own else redirect("practice:people")
    context: dict[str, Any] = {"go": found, "lesson": found.lesson, "own": own}
    if found.family:
        state = bench_of(found.determination, counted(found.team_id, found.pk))
        context |= outcome_of(found, state)
        if own and services.verdict_of(found, state) and "judged" not in found.said:
            form = JudgeForm(request.POST or None)
            if request.method == "POST" and form.is_valid():
                services.judge_own(request.membership, found, state, form.cleaned_data["judged"])
                return redirect("practice:scored", pk)
            return render(request, "practice/judge.html", context | {"form": form})
        truths = held(found.world, state.outcomes)
        context["truths"] = [
            (part, found.world.strengths[part.key], truths.get(part.key)) for part in found.method.parts
        ]
        context["trait"] = TRAITS[found.world.trait]
        context["taps"] = taps_in_words(found.determination)
    context["points"] = [Point(**each) for each in found.points]
    context["remark_form"] = None if own else RemarkForm(instance=found)
    return render(request, "practice/scored.html", context)


@coordinator
@require_POST
def remark(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """Say a word about how somebody practised."""
    found = _own(request, pk, may.see)
    form = RemarkForm(request.POST, instance=found)
    if found.closed_at and form.is_valid():
        services.remark(request.membership, found, form.cleaned_data["remark"])
        messages.success(request, f"{found.person} reads it with what was right.")
    else:
        messages.error(request, "At most 500 letters, on what is ended.")
    return redirect("practice:scored", pk)


@member
@require_GET
def people(request: TeamRequest) -> HttpResponse:
    """Who may do which test alone, by the team's own rule."""
    return _people(request, RuleForm(instance=request.membership.team), None)


def _people(request: TeamRequest, rule: RuleForm, form: VouchForm | None) -> HttpResponse:
    team = request.membership.team
    known = families_of(team.pk)
    found = proofs(team)
    named = sorted({family for _, family in found if family in known}, key=lambda family: known[family][0].test_name)
    passed, everybody = lessons_passed(team.pk), list(members(team.pk))
    context = {
        "tests": [known[family][0] for family in named],
        "rows": [
            (each, len(passed[each.pk] & lessons().keys()), [found.get((each.pk, family)) for family in named])
            for each in everybody
        ],
        "lessons": len(lessons()),
        "rule": rule,
        "form": form or VouchForm(team, _named(known)),
        "faulty": bool(rule.errors or (form and form.errors)),
        "goes": Practised.objects.for_team(team).filter(closed_at__isnull=False).select_related("person")[:_GOES],
    }
    return render(request, "practice/people.html", context, status=422 if context["faulty"] else 200)


def _by_name(known: dict[str, list[Method]]) -> list[tuple[str, list[Method]]]:
    return sorted(known.items(), key=lambda each: each[1][0].test_name.lower())


def _named(known: dict[str, list[Method]]) -> list[tuple[str, str]]:
    return [(family, methods[0].test_name) for family, methods in _by_name(known)]


@coordinator
@require_POST
def rules(request: TeamRequest) -> HttpResponse:
    """Keep the team's rule."""
    form = RuleForm(request.POST, instance=request.membership.team)
    if not form.is_valid():
        return _people(request, form, None)
    services.keep_rules(request.membership, form.instance)
    messages.success(request, "The rule is kept.")
    return redirect("practice:people")


@coordinator
@require_POST
def vouch(request: TeamRequest) -> HttpResponse:
    """Vouch for somebody."""
    team = request.membership.team
    form = VouchForm(team, _named(families_of(team.pk)), request.POST)
    if form.is_valid():
        try:
            services.sign_off(
                request.membership, form.cleaned_data["person"], form.cleaned_data["family"], form.cleaned_data["words"]
            )
            messages.success(request, "Kept: it counts as if practised well.")
            return redirect("practice:people")
        except ValidationError as error:
            form.add_error(None, error)
    return _people(request, RuleForm(instance=team), form)
