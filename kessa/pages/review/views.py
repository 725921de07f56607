"""Pages of reviews: what waits, one visit side by side with its past, questions, the team's rules."""

import uuid

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from kessa.pages.people.forms import WhyForm
from kessa.pages.review.forms import AnswerForm, AskForm, ReleaseForm, RulesForm, SeenForm
from kessa.record.people.access import TeamRequest, coordinator, member, technician
from kessa.record.people.acts import NotAllowed
from kessa.record.photographs.selectors import photographs_of
from kessa.record.results.history import waits_for_review
from kessa.record.review import may, services
from kessa.record.review.models import Step, What
from kessa.record.review.selectors import (
    PAGE,
    accepted_by,
    current_rows,
    ended_rows,
    hands_on,
    hands_on_each,
    next_to_review,
    older_than,
    seen_of,
    side_by_side,
    steps_on,
    to_look_over,
)
from kessa.record.rounds.field_sheet import field_sheet
from kessa.record.visits.models import Review, Visit

_RESULTS_NAMED = 5


@member
@require_GET
def index(request: TeamRequest) -> HttpResponse:
    """What waits for somebody's eyes, newest first; what is reviewed, released."""
    team = request.membership.team
    state = request.GET.get("state", Review.NEW)
    if state not in Review.values:
        raise Http404
    rows = to_look_over(team, state)
    before = _before(request)
    rows = list((rows.filter(older_than(before)) if before else rows)[: PAGE + 1])
    shown = rows[:PAGE]
    found = current_rows(team.pk, [visit.pk for visit in shown])
    hands = hands_on_each(team.pk, shown)
    context = {
        "state": state,
        "states": Review.choices,
        "lines": [
            {
                "visit": visit,
                "seen": seen_of(visit),
                "rows": found[visit.pk][:_RESULTS_NAMED],
                "more": max(len(found[visit.pk]) - _RESULTS_NAMED, 0),
                "flags": list(dict.fromkeys(flag for row in found[visit.pk] for flag in row.flags)),
                "own": request.user.pk in hands[visit.pk],
            }
            for visit in shown
        ],
        "before": shown[-1].pk if len(rows) > PAGE else None,
        "may_review": may.review.of(request.membership.role) is not False,
        "release_form": ReleaseForm(team),
        "counts": not waits_for_review(team.pk),
        "ready": Review.REVIEWED if team.reviewers_needed else Review.NEW,
    }
    return render(request, "review/index.html", context)


def _before(request: TeamRequest) -> Visit | None:
    """Return the visit after which a page begins; None where none is asked for, or no such visit is there."""
    try:
        number = uuid.UUID(request.GET.get("before", ""))
    except ValueError:
        return None
    found: Visit | None = Visit.objects.for_team(request.membership.team_id).filter(pk=number).first()
    return found


@technician
@require_POST
def accept_many(request: TeamRequest) -> HttpResponse:
    """Accept the visits that were chosen, each as it was seen; what changed meanwhile is told and left."""
    accepted = 0
    for chosen in request.POST.getlist("visit")[:PAGE]:
        number, _, seen = chosen.partition(" ")
        try:
            visit = Visit.objects.for_team(request.membership.team).filter(pk=uuid.UUID(number)).first()
            if visit:
                services.accept(request.membership, visit, seen=seen)
                accepted += 1
        except ValueError:
            continue
        except NotAllowed:
            messages.error(request, f"The {visit}: you had a hand in it. Somebody else reviews it.")
        except ValidationError as error:
            messages.error(request, error.message)
    messages.success(request, f"{accepted} visit{'' if accepted == 1 else 's'} accepted.")
    return redirect("review:index")


@member
@require_GET
def visit(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """One visit as a whole, beside what was found before and the same day elsewhere."""
    return _page(request, _visit(request, pk))


def _visit(request: TeamRequest, pk: uuid.UUID) -> Visit:
    rows = Visit.objects.for_team(request.membership.team).select_related("place__team", "leader", "closed_by", "team")
    return get_object_or_404(rows, pk=pk)


def _page(request: TeamRequest, found: Visit, form: AskForm | None = None) -> HttpResponse:
    sheet, hands = field_sheet(found), hands_on(found)
    steps = steps_on(found)
    rows = current_rows(found.team_id, [found.pk])[found.pk]
    following = next_to_review(request.membership, found)
    context = {
        "visit": found,
        "sheet": sheet,
        "beside": side_by_side(found, rows),
        "flagged": [row for row in rows if row.flags],
        "ended": ended_rows(found),
        "photographs": photographs_of(found),
        "steps": steps,
        "open_questions": [step for step in steps if step.what == What.ASKED and not hasattr(step, "answer")],
        "accepted": accepted_by(found),
        "seen": seen_of(found),
        "own": request.user.pk in hands,
        "may_review": may.review(request.membership, found),
        "form": form or AskForm(found, hands, request.user),
        "following": following,
        "noted": [*sheet.samples, *(line.now for line in [*sheet.in_place, *sheet.circumstances] if line.now)],
    }
    return render(request, "review/visit.html", context, status=422 if form and form.errors else 200)


@member
@require_POST
def decide(request: TeamRequest, pk: uuid.UUID, act: str) -> HttpResponse:
    """Accept a visit, release it, or take that back."""
    found = _visit(request, pk)
    try:
        given = _ACTS[act](request, found)
    except KeyError:
        raise Http404 from None
    except ValidationError as error:
        messages.error(request, error.message)
        return redirect("review:visit", pk)
    messages.success(request, given)
    following = next_to_review(request.membership, found) if act == "accept" else None
    return redirect("review:visit", following.pk) if following else redirect("review:index")


def _accept(request: TeamRequest, found: Visit) -> str:
    form = SeenForm(request.POST)
    held = services.accept(request.membership, found, seen=form.data.get("seen", ""))
    if held.review == Review.NEW:
        return f"The {found} is accepted by you. It waits for one more."
    return f"The {found} is {held.get_review_display()}."


def _release(request: TeamRequest, found: Visit) -> str:
    services.release(request.membership, found)
    return f"The {found} is released."


def _take_back(request: TeamRequest, found: Visit) -> str:
    form = WhyForm(request.POST)
    services.take_back(request.membership, found, why=form.cleaned_data["why"] if form.is_valid() else "")
    return f"The {found} is to be reviewed anew."


_ACTS = {"accept": _accept, "release": _release, "take-back": _take_back}


@technician
@require_POST
def ask(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """Ask somebody of a visit a question."""
    found = _visit(request, pk)
    form = AskForm(found, hands_on(found), request.user, request.POST)
    if form.is_valid():
        data = form.cleaned_data
        try:
            services.ask(request.membership, found, data["to"], words=data["words"], result=data["result"])
            messages.success(request, f"Asked. It is on the Today of {data['to']}.")
            return redirect("review:index")
        except ValidationError as error:
            form.add_error(None, error)
    return _page(request, found, form)


@member
def question(request: TeamRequest, pk: int) -> HttpResponse:
    """A question with what it is about, and the answer to it."""
    rows = Step.objects.for_team(request.membership.team).filter(what=What.ASKED)
    found = get_object_or_404(rows.select_related("visit__place", "by", "to", "result__place"), pk=pk)
    ended = Step.objects.for_team(found.team_id).filter(answers=found).select_related("by").first()
    form = AnswerForm(request.POST or None)
    if request.method == "POST":
        try:
            if "withdraw" in request.POST:
                services.withdraw(request.membership, found)
                messages.success(request, "The question is withdrawn.")
                return redirect("review:visit", found.visit_id)
            if form.is_valid():
                services.answer(request.membership, found, words=form.cleaned_data["words"])
                messages.success(request, f"Answered: {found.by} sees it with the visit.")
                return redirect("today:today")
        except ValidationError as error:
            messages.error(request, error.message)
            return redirect("review:question", pk)
    context = {
        "question": found,
        "ended": ended,
        "form": form,
        "may_answer": may.answer(request.membership, found),
        "may_withdraw": may.withdraw(request.membership, found),
    }
    return render(request, "review/question.html", context, status=422 if form.errors else 200)


@coordinator
@require_POST
def release_all(request: TeamRequest) -> HttpResponse:
    """Release everything that is ready, at a place or at all, up to a day."""
    form = ReleaseForm(request.membership.team, request.POST)
    if form.is_valid():
        data = form.cleaned_data
        many = services.release_all(request.membership, request.membership.team, **data)
        messages.success(request, f"{many} visit{'' if many == 1 else 's'} released.")
    else:
        messages.error(request, "Choose a day up to which everything that is ready is released.")
    return redirect("review:index")


@coordinator
def rules(request: TeamRequest) -> HttpResponse:
    """By whom and how often visits are looked over before their numbers go out."""
    form = RulesForm(request.POST or None, instance=request.membership.team)
    if request.method == "POST" and form.is_valid():
        services.keep_rules(request.membership, form.save(commit=False))
        messages.success(request, "These are the team's rules for reviews from now on.")
        return redirect("review:index")
    context = {"form": form, "title": "Rules for reviews", "act": "Keep these rules"}
    return render(request, "base/form.html", context, status=422 if form.errors else 200)
