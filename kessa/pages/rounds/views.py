"""Today, the rounds and the calendar."""

import calendar as days
from datetime import date, timedelta
from typing import Any

from django.contrib import messages
from django.db import IntegrityError
from django.db.models import Count
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from kessa.core.job.occasions import occasion_kinds
from kessa.core.planning.rhythm import DAILY, around, coming, in_words
from kessa.pages.rounds.forms import RoundForm, StopsForm
from kessa.record.people.access import TeamRequest, coordinator, member
from kessa.record.rounds import services
from kessa.record.rounds.models import CalendarFeed, Round, Stop
from kessa.record.rounds.selectors import coming_days, whole_rounds

_YEARS_SHOWN = 10


@member
@require_GET
def index(request: TeamRequest) -> HttpResponse:
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
def round_page(request: TeamRequest, pk: int) -> HttpResponse:
    """A round: its rhythm, people, places and tests."""
    found = _round(request, pk)
    return render(request, "rounds/round.html", _round_context(request, found, StopsForm(request.membership.team)))


@coordinator
def edit(request: TeamRequest, pk: int | None = None) -> HttpResponse:
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
def preview(request: TeamRequest) -> HttpResponse:
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
def add_stops(request: TeamRequest, pk: int) -> HttpResponse:
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
def leave_out(request: TeamRequest, pk: int, stop_pk: int) -> HttpResponse:
    """Take a place off a round."""
    stop = get_object_or_404(Stop.objects.for_team(request.membership.team), pk=stop_pk, round_id=pk)
    services.leave_out(request.membership, stop)
    messages.success(request, f"{stop.place} is off the round.")
    return redirect("rounds:round", pk)


@coordinator
@require_POST
def retire(request: TeamRequest, pk: int) -> HttpResponse:
    """End a round."""
    found = _round(request, pk)
    services.retire_round(request.membership, found)
    messages.success(request, f"{found.name} has ended. What was measured on it stays.")
    return redirect("rounds:index")


@member
@require_POST
def change_feed(request: TeamRequest) -> HttpResponse:
    """Make a secret calendar address, or let it lead nowhere."""
    if "revoke" in request.POST:
        services.revoke_feed(request.membership)
        messages.success(request, "The calendar address leads nowhere now.")
    else:
        token = services.new_feed(request.membership)
        address = request.build_absolute_uri(reverse("calendar_feed", args=[token]))
        messages.success(request, f"Your calendar address, shown this once: {address}")
    return redirect("rounds:index")


def _round(request: TeamRequest, pk: int) -> Round:
    return get_object_or_404(whole_rounds(request.membership.team), pk=pk)


def _round_context(request: TeamRequest, found: Round, form: StopsForm) -> dict[str, Any]:
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
