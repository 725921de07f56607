"""Pages of actions: what is open, one of them, and what was done besides."""

from datetime import timedelta
from typing import Any

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from kessa.pages.actions.forms import DecidedForm, DoneForm, NotedForm, TickForm
from kessa.pages.people.forms import WhyForm
from kessa.record.actions import services
from kessa.record.actions.models import Action, State
from kessa.record.actions.selectors import actions_of, open_actions, sheet_of, to_follow, trace_of
from kessa.record.actions.wording import title_in
from kessa.record.people.access import TeamRequest, member
from kessa.record.people.selectors import contacts_of
from kessa.record.places.models import Place
from kessa.record.results.models import Result

_ENDED = 40
_AHEAD = timedelta(days=7)


@member
@require_GET
def index(request: TeamRequest) -> HttpResponse:
    """What waits, the gravest first; what is to be tested again; what was done, newest first."""
    team = request.membership.team
    before = request.GET.get("before", "")
    rows = actions_of(team)
    if before.isdigit():
        at = Action.objects.for_team(team).filter(pk=int(before[:18])).values_list("ended_at", flat=True).first()
        rows = rows.filter(ended_at__lt=at) if at else rows
    ended = list(rows[: _ENDED + 1])
    context = {
        "open": open_actions(team=team.pk),
        "following": to_follow(team=team.pk, until=timezone.now() + _AHEAD),
        "ended": ended[:_ENDED],
        "more": ended[_ENDED - 1].pk if len(ended) > _ENDED else None,
    }
    return render(request, "actions/index.html", context)


@member
@require_GET
def action(request: TeamRequest, pk: int) -> HttpResponse:
    """One action: what, why, how it was worked out, what can hurt; then done, decided or declined."""
    return _page(request, _found(request, pk))


def _found(request: TeamRequest, pk: int) -> Action:
    rows = Action.objects.for_team(request.membership.team).select_related(
        "team", "place__team", "product", "done_product", "lot", "decided_by", "ended_by", "followed_by"
    )
    return get_object_or_404(rows, pk=pk)


def _page(request: TeamRequest, found: Action, form: DoneForm | None = None) -> HttpResponse:
    system = request.user.amount_system
    again = services.default_again(found, timezone.now())
    initial = {"again_at": timezone.localtime(again) if again else None}
    water = found.place.water
    context = {
        "action": found,
        "steps": sheet_of(found),
        "form": form or DoneForm(found, system, initial=initial),
        "results": _results_of(found),
        "contacts": [each for each in contacts_of(found.team_id) if water in each.waters] if found.steps else [],
        "trace": trace_of(found.place, found.parameter) if found.place.water == "open" and found.parameter else None,
        "told": found.volume_told if found.is_open or found.state == State.DONE else None,
    }
    return render(request, "actions/action.html", context, status=422 if form and form.errors else 200)


def _results_of(found: Action) -> list[Result]:
    """Return the results that ask for it, what asks first first."""
    rows = Result.objects.for_team(found.team_id).in_bulk(found.results)
    return [rows[pk] for pk in found.results if pk in rows]


@member
@require_POST
def do(request: TeamRequest, pk: int) -> HttpResponse:
    """Write down that it was done."""
    found = _found(request, pk)
    form = DoneForm(found, request.user.amount_system, request.POST)
    if form.is_valid():
        data = {name: form.cleaned_data.get(name) for name in ("amount", "product", "lot", "remark", "again_at")}
        try:
            services.do(
                request.membership,
                found,
                form.cleaned_data["at"],
                **data,
                despite=bool(form.cleaned_data.get("despite")),
            )
            messages.success(request, _said(found, form.cleaned_data.get("again_at")))
            return redirect("places:place", found.place_id)
        except ValidationError as error:
            found = _found(request, pk)
            if not found.is_open:
                # Somebody was quicker: there is no form any more to say it in.
                messages.error(request, error.message)
                return redirect("actions:action", pk)
            form.add_error(None, error)
    return _page(request, found, form)


def _said(found: Action, again_at: Any) -> str:
    if again_at is None or not found.parameter:
        return "Written down."
    at = timezone.localtime(again_at)
    return f"Written down. Test {found.parameter} again on {at.day} {at:%B at %H:%M}: it stands on Today."


@member
@require_POST
def change(request: TeamRequest, pk: int, act: str) -> HttpResponse:
    """Decide on an action, decline it, tick a step of it, or take over the volume that its follow-up told."""
    found = _found(request, pk)
    try:
        answer = _CHANGES[act](request, found)
    except KeyError:
        raise Http404 from None
    except ValidationError as error:
        messages.error(request, error.message)
        return redirect("actions:action", pk)
    if answer:
        messages.success(request, answer)
    if act in ("decline", "volume"):
        return redirect("places:place", found.place_id)
    return redirect(
        f"{reverse('actions:action', args=[pk])}#list" if act == "tick" else reverse("actions:action", args=[pk])
    )


def _decide(request: TeamRequest, found: Action) -> str:
    form = DecidedForm(request.POST)
    services.decide(request.membership, found, on_word_of=form.cleaned_data["on_word_of"] if form.is_valid() else "")
    return "Decided: it stays open until it is done."


def _decline(request: TeamRequest, found: Action) -> str:
    form = WhyForm(request.POST)
    services.decline(request.membership, found, why=form.cleaned_data["why"] if form.is_valid() else "")
    return f"Not done: {title_in(found, request.user.amount_system)}. The reason is kept."


def _tick(request: TeamRequest, found: Action) -> str:
    form = TickForm(request.POST)
    if not form.is_valid():
        raise ValidationError("A remark has up to 300 letters.")
    data = form.cleaned_data
    services.tick(request.membership, found, data["key"], done=data["done"], remark=data["remark"])
    return ""


def _take_volume(request: TeamRequest, found: Action) -> str:
    place = services.take_volume(request.membership, found)
    return f"{place} holds {place.facts['volume_l']:g} L from now on: what is proposed follows it."


def _take_back(request: TeamRequest, found: Action) -> str:
    form = WhyForm(request.POST)
    services.take_back(request.membership, found, why=form.cleaned_data["why"] if form.is_valid() else "")
    return "Taken back: what is still called for is proposed anew."


_CHANGES = {"take-back": _take_back, "decide": _decide, "decline": _decline, "tick": _tick, "volume": _take_volume}


@member
def note(request: TeamRequest, place_pk: int) -> HttpResponse:
    """Write down something that was done at a place and that nobody had proposed."""
    team = request.membership.team
    place = get_object_or_404(Place.objects.for_team(team).select_related("team"), pk=place_pk)
    form = NotedForm(team, request.user.amount_system, request.POST or None)
    if request.method == "POST" and form.is_valid():
        data = form.cleaned_data
        try:
            services.note_done(
                request.membership, place, data["at"], by_way=data["by_way"], title=data["title"] or form.way_words,
                amount=data["amount"], kept=data["kept"] or "L", product=data["product"], lot=data["lot"],
                remark=data["remark"], again_at=data["again_at"],
                despite=bool(data.get("despite")),
            )  # fmt: skip
            messages.success(request, "Written down: it stands at the place and on its line over time.")
            return redirect("places:place", place.pk)
        except ValidationError as error:
            form.add_error(None, error)
    return render(request, "actions/note.html", {"form": form, "place": place}, status=422 if form.errors else 200)


@member
@require_POST
def begin_list(request: TeamRequest, place_pk: int) -> HttpResponse:
    """Begin the list for what somebody sees at a place."""
    place = get_object_or_404(Place.objects.for_team(request.membership.team).select_related("team"), pk=place_pk)
    try:
        return redirect("actions:action", services.begin_list(request.membership, place).pk)
    except ValidationError as error:
        messages.error(request, error.message)
        return redirect("places:place", place.pk)


@member
@require_GET
def custody(request: TeamRequest, pk: int) -> HttpResponse:
    """A bottle's label and a chain-of-custody sheet to print and fill in, for the sample that goes to a laboratory."""
    found = _found(request, pk)
    laboratories = [each for each in contacts_of(found.team_id) if each.role == "laboratory"]
    context = {"action": found, "laboratories": laboratories, "results": _results_of(found)}
    return render(request, "actions/custody.html", context)
