"""Today: what is due, what goes on, what waits."""

from datetime import timedelta
from typing import Any

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from kessa.core.job.occasions import occasion_kinds
from kessa.pages.rounds.forms import OccasionForm, WhyNotForm
from kessa.pages.rounds.listed import call_rows, waiting_rows, why
from kessa.record.actions.selectors import open_actions, to_follow
from kessa.record.advice.place_status import first_steps
from kessa.record.people.access import TeamRequest, member
from kessa.record.people.acts import ACTS
from kessa.record.results.selectors import follow_ups, has_results
from kessa.record.review.selectors import questions_to, waiting_today
from kessa.record.rounds import services
from kessa.record.rounds.selectors import active_rounds, calls, next_days, plan_of
from kessa.record.testing.selectors import open_determinations
from kessa.record.visits.selectors import open_visits

_AHEAD = timedelta(days=14)
# So many places a phone takes along by itself.
_ALONG = 12
# So long somebody may be a beginner.
_NEW = timedelta(days=30)
# So far ahead a test that says whether something worked stands on Today.
_SOON = timedelta(hours=24)


@member
@require_GET
def today(request: TeamRequest) -> HttpResponse:
    """What is due, late or waiting; the next visit is the largest thing."""
    team = request.membership.team
    plan = plan_of(team)
    found = calls(team, request.user, plan)
    first = next(iter(found.mine or found.theirs), None)
    form = OccasionForm(team)
    place: Any = form.fields["place"]
    names = dict(place.names)
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
    return render(request, "today/today.html", context)


@member
@require_POST
def note(request: TeamRequest) -> HttpResponse:
    """Note that something happened; the rounds that wait for it are due."""
    form = OccasionForm(request.membership.team, request.POST)
    if form.is_valid():
        noted = services.note_occasion(request.membership, **form.cleaned_data)
        given = occasion_kinds()[noted.kind].name
        waiting = active_rounds(request.membership.team).filter(occasions__contains=[noted.kind])
        names = ", ".join(each.name for each in waiting)
        what = f"Due now: {names}." if waiting else "No round waits for this: nothing is due for it."
        messages.success(request, f"{given}: noted. {what}")
    else:
        messages.error(request, " ".join(str(error) for errors in form.errors.values() for error in errors))
    return redirect("today:today")


@member
@require_POST
def not_going(request: TeamRequest) -> HttpResponse:
    """Settle what is due at a place without a visit, with the reason."""
    form = WhyNotForm(request.membership.team, request.POST)
    if not form.is_valid():
        messages.error(request, "Say why nobody goes: the reason stays with the plan.")
    elif services.answer_without_visit(request.membership, form.cleaned_data["place"], why=form.cleaned_data["reason"]):
        messages.success(request, f"{form.cleaned_data['place']}: nobody goes this time. The reason is kept.")
    return redirect("today:today")
