"""Today, the rounds and the calendar."""

import calendar as days
from datetime import date, timedelta
from typing import Any

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.db import IntegrityError
from django.db.models import Count
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from kessa.core.job.occasions import occasion_kinds
from kessa.core.planning.rhythm import DAILY, around, coming, in_words
from kessa.pages.rounds.forms import OccasionForm, PackForm, RoundForm, StopsForm, WhyNotForm
from kessa.pages.rounds.listed import call_rows, waiting_rows, why
from kessa.record.actions.selectors import open_actions, to_follow
from kessa.record.kits.models import Kit
from kessa.record.people.access import coordinator, member
from kessa.record.people.acts import ACTS
from kessa.record.results.history import last_kit_at
from kessa.record.results.selectors import follow_ups, has_results
from kessa.record.review.selectors import questions_to, waiting_today
from kessa.record.rounds import services
from kessa.record.rounds.models import CalendarFeed, KitCheck, Round, Stop
from kessa.record.rounds.packing_list import packing_list
from kessa.record.rounds.selectors import active_rounds, calls, coming_days, next_days, plan_of, whole_rounds
from kessa.record.standing.standing import first_steps
from kessa.record.testing.selectors import open_determinations
from kessa.record.visits.selectors import open_visits

_AHEAD = timedelta(days=14)
# So many places a phone takes along by itself.
_ALONG = 12
# So long somebody may be a beginner.
_NEW = timedelta(days=30)
# So far ahead a test that says whether something worked stands on Today.
_SOON = timedelta(hours=24)
_YEARS_SHOWN = 10


@member
@require_GET
def today(request: HttpRequest) -> HttpResponse:
    """What is due, late or waiting; the next visit is the largest thing."""
    team = request.membership.team
    plan = plan_of(team)
    found = calls(team, request.user, plan)
    first = next(iter(found.mine or found.theirs), None)
    form = OccasionForm(team)
    names = dict(form.fields["place"].names)
    visits = open_visits(team=team.pk)
    day = timezone.localdate()
    ahead = next_days(plan.rounds, day, day + _AHEAD)
    to_do = open_actions(team=team.pk)
    # What something is proposed about is not said twice.
    answered = {pk for action in to_do for pk in action.results}
    wanting = [row for row in follow_ups(team) if row.pk not in answered]
    reviews = ACTS["review.accept"].rule.of(request.membership.role) is not False and team.reviewers_needed
    context = {
        "questions": questions_to(team=team.pk, person=request.user.pk),
        "to_review": waiting_today(team=team.pk, person=request.user.pk) if reviews else [],
        "day": day,
        "going_on": next((visit for visit in visits if visit.leader_id == request.user.pk), None),
        "visits": visits,
        "first": first,
        "first_why": why(first) if first else "",
        "calls": found,
        "mine": call_rows(found.mine),
        "theirs": call_rows(found.theirs),
        "due_along": {call.place.pk: str(call.place) for call in (found.mine or found.theirs[:1])[:_ALONG]},
        "urgent": [action for action in to_do if action.rank == 0],
        "to_do": [action for action in to_do if action.rank],
        "following": to_follow(team=team.pk, until=timezone.now() + _SOON),
        "waiting": waiting_rows(
            open_determinations(team=team.pk), wanting, first_steps(team, wanting), names, request.user
        ),
        "ahead": ahead,
        "occasion_form": form,
        "has_rounds": bool(plan.rounds),
        "beginner": timezone.now() - request.user.date_joined < _NEW and not has_results(team.pk, request.user.pk),
    }
    return render(request, "rounds/today.html", context)


@member
@require_POST
def note(request: HttpRequest) -> HttpResponse:
    """Note that something happened; the rounds that wait for it are due."""
    form = OccasionForm(request.membership.team, request.POST)
    if form.is_valid():
        noted = services.note_occasion(request.membership, **form.cleaned_data)
        said = occasion_kinds()[noted.kind].name
        waiting = active_rounds(request.membership.team).filter(occasions__contains=[noted.kind])
        names = ", ".join(each.name for each in waiting)
        what = f"Due now: {names}." if waiting else "No round waits for this: nothing is due for it."
        messages.success(request, f"{said}: noted. {what}")
    else:
        messages.error(request, " ".join(error for errors in form.errors.values() for error in errors))
    return redirect("rounds:today")


@member
@require_POST
def not_going(request: HttpRequest) -> HttpResponse:
    """Settle what is due at a place without a visit, with the reason."""
    form = WhyNotForm(request.membership.team, request.POST)
    if not form.is_valid():
        messages.error(request, "Say why nobody goes: the reason stays with the plan.")
    elif services.answer_without_visit(request.membership, form.cleaned_data["place"], why=form.cleaned_data["reason"]):
        messages.success(request, f"{form.cleaned_data['place']}: nobody goes this time. The reason is kept.")
    return redirect("rounds:today")


@member
@require_GET
def index(request: HttpRequest) -> HttpResponse:
    """Every round, and the month they make."""
    going_on = Round.objects.for_team(request.membership.team).filter(retired_at=None)
    rounds = list(going_on.annotate(places=Count("stops")))
    first = _month(request.GET.get("month"))
    last = first.replace(day=days.monthrange(first.year, first.month)[1])
    daily = [each for each in rounds if each.rule == DAILY and not each.months]
    due = coming_days((each for each in rounds if each not in daily), first, last)
    weeks = [
        [(day, due.get(day, [])) if day.month == first.month else None for day in week]
        for week in days.Calendar().monthdatescalendar(first.year, first.month)
    ]
    context = {
        "rounds": [(each, *_when(each)) for each in rounds],
        "daily": daily,
        "month": first,
        "weeks": weeks,
        "before": (first - timedelta(days=1)).strftime("%Y-%m"),
        "after": (last + timedelta(days=1)).strftime("%Y-%m"),
        "today": timezone.localdate(),
        "feed": CalendarFeed.objects.for_team(request.membership.team).filter(membership=request.membership).first(),
    }
    return render(request, "rounds/index.html", context)


@member
@require_GET
def round_page(request: HttpRequest, pk: int) -> HttpResponse:
    """A round: its rhythm, people, places and tests."""
    found = _round(request, pk)
    return render(request, "rounds/round.html", _round_context(request, found, StopsForm(request.membership.team)))


@coordinator
def edit(request: HttpRequest, pk: int | None = None) -> HttpResponse:
    """Plan a new round, or change one."""
    found = Round() if pk is None else _round(request, pk)
    form = RoundForm(request.membership.team, request.POST or None, instance=found)
    if request.method == "POST" and form.is_valid():
        try:
            people = list(form.cleaned_data["people"])
            kept = services.keep_round(request.membership, form.save(commit=False), people)
            messages.success(request, f"{kept.name} is planned." if pk is None else f"{kept.name} is changed.")
            return redirect("rounds:round", kept.pk)
        except IntegrityError:
            form.add_error("name", "Your team has a round of this name already.")
    return render(request, "rounds/edit.html", {"form": form, "round": found}, status=422 if form.errors else 200)


@coordinator
@require_GET
def preview(request: HttpRequest) -> HttpResponse:
    """The next days of a rhythm that is being made."""
    form = RoundForm(request.membership.team, request.GET)
    form.is_valid()
    faults = [error for name in ("shape", "own_rule", "weekdays", "starts_on") for error in form.errors.get(name, [])]
    rhythm = form.instance.rhythm if not faults and form.cleaned_data.get("starts_on") else None
    if rhythm:
        rhythm = rhythm._replace(
            starts_on=form.cleaned_data["starts_on"], months=tuple(form.cleaned_data.get("months") or ())
        )
    days_due = coming(rhythm, timezone.localdate() - timedelta(days=1)) if rhythm else ()
    words = in_words(rhythm) if rhythm else ""
    return render(request, "rounds/preview.html", {"days": days_due, "faults": faults, "words": words})


@coordinator
@require_POST
def add_stops(request: HttpRequest, pk: int) -> HttpResponse:
    """Put places on a round, or change what is done at them."""
    found = _round(request, pk)
    form = StopsForm(request.membership.team, request.POST)
    if not form.is_valid():
        return render(request, "rounds/round.html", _round_context(request, found, form), status=422)
    for place in form.cleaned_data["places"]:
        services.plan_stop(request.membership, found, place, form.planned_tests(), form.cleaned_data["in_place"])
    messages.success(request, "The plan is saved.")
    return redirect("rounds:round", pk)


@coordinator
@require_POST
def leave_out(request: HttpRequest, pk: int, stop_pk: int) -> HttpResponse:
    """Take a place off a round."""
    stop = get_object_or_404(Stop.objects.for_team(request.membership.team), pk=stop_pk, round_id=pk)
    services.leave_out(request.membership, stop)
    messages.success(request, f"{stop.place} is off the round.")
    return redirect("rounds:round", pk)


@coordinator
@require_POST
def retire(request: HttpRequest, pk: int) -> HttpResponse:
    """End a round."""
    found = _round(request, pk)
    services.retire_round(request.membership, found)
    messages.success(request, f"{found.name} has ended. What was measured on it stays.")
    return redirect("rounds:index")


@member
@require_POST
def change_feed(request: HttpRequest) -> HttpResponse:
    """Make a secret calendar address, or let it lead nowhere."""
    if "revoke" in request.POST:
        services.revoke_feed(request.membership)
        messages.success(request, "The calendar address leads nowhere now.")
    else:
        token = services.new_feed(request.membership)
        address = request.build_absolute_uri(reverse("calendar_feed", args=[token]))
        messages.success(request, f"Your calendar address, shown this once: {address}")
    return redirect("rounds:index")


@member
def pack(request: HttpRequest) -> HttpResponse:
    """Choose what to pack for: what is due for the person is chosen already."""
    team = request.membership.team
    form = PackForm(team, request.POST or None)
    if request.method == "POST":
        if form.is_valid():
            stops = form.cleaned_data["stop"].select_related("place").prefetch_related("tests")
            made = packing_list(team, request.user, stops, form.cleaned_data["kit"])
            return redirect("rounds:packing", services.keep_packing_list(request.membership, made).pk)
        messages.error(request, "Choose a kit, and at least one place to pack for.")
    plan = plan_of(team)
    found = calls(team, request.user, plan)
    due = [*found.mine, *found.theirs]
    today = timezone.localdate()
    context = {
        "due": due,
        "kits": Kit.objects.for_team(team),
        "likely": last_kit_at(due[0].place) if due else None,
        "ahead": [(day, each, plan.stops[each.pk]) for day, each in next_days(plan.rounds, today, today + _AHEAD)],
        "lists": KitCheck.objects.for_team(team).select_related("person").order_by("-made_at")[:5],
    }
    return render(request, "rounds/pack.html", context, status=422 if form.errors else 200)


@member
@require_GET
def packing(request: HttpRequest, pk: int) -> HttpResponse:
    """A packing list to tick off."""
    found = _packing(request, pk)
    return render(request, "rounds/packing.html", {"check": found, **_progress(found)})


@member
@require_POST
def tick(request: HttpRequest, pk: int) -> HttpResponse:
    """Tick a line off, or on again."""
    try:
        found = services.tick(
            _packing(request, pk), request.POST.get("key", ""), packed=request.POST.get("packed") == "yes"
        )
    except ValidationError as error:
        raise Http404 from error
    if request.htmx or request.headers.get("Accept") == "application/json":
        return render(request, "rounds/packed.html", {"check": found, **_progress(found)})
    return redirect("rounds:packing", pk)


def _progress(found: KitCheck) -> dict[str, Any]:
    troubled = [line for line in found.lines if line["troubles"]]
    return {"troubled": troubled, "left": len(found.lines) - len(found.ticked)}


def _packing(request: HttpRequest, pk: int) -> KitCheck:
    return get_object_or_404(KitCheck.objects.for_team(request.membership.team).select_related("person"), pk=pk)


def _round(request: HttpRequest, pk: int) -> Round:
    return get_object_or_404(whole_rounds(request.membership.team), pk=pk)


def _round_context(request: HttpRequest, found: Round, form: StopsForm) -> dict[str, Any]:
    day = timezone.localdate()
    words, latest, following = _when(found)
    return {
        "round": found,
        "words": words,
        "latest": latest,
        "coming": coming(found.rhythm, day) if found.rhythm else (following,),
        "form": form,
        "season": [date(2000, month, 1) for month in found.months],
        "occasions": [occasion_kinds()[key] for key in found.occasions if key in occasion_kinds()],
    }


def _when(each: Round) -> tuple[str, date | None, date | None]:
    if each.rhythm is None:
        return "on occasions only", None, None
    return in_words(each.rhythm), *around(each.rhythm, timezone.localdate())


def _month(asked: str | None) -> date:
    """Return the month asked for, within ten years of today; else this month."""
    today = timezone.localdate().replace(day=1)
    try:
        month = date.fromisoformat(f"{asked}-01")
    except ValueError:
        return today
    return month if abs(month.year - today.year) <= _YEARS_SHOWN else today
