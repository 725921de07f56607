"""Pages of places."""

from typing import Any

from django.contrib import messages
from django.core.exceptions import PermissionDenied, ValidationError
from django.db import IntegrityError
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.text import slugify
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from kessa.core.job.circumstances import IN_PLACE, scales_for
from kessa.core.job.place_kinds import place_kinds
from kessa.core.judging.limits import speaking_of
from kessa.core.judging.usual import UsualRange
from kessa.drawings.trend import NARROW, Band, Line, trend
from kessa.pages.base.only import only_or_404
from kessa.pages.base.result_rows import found_at_place, number_rows
from kessa.pages.places.forms import PairForm, PlaceForm
from kessa.pages.places.views_trend import done_events
from kessa.record.actions.selectors import at_place, lately_at
from kessa.record.advice.place_status import place_key, places_by_state
from kessa.record.people.access import TeamRequest, member, technician
from kessa.record.people.models import User
from kessa.record.photographs.selectors import photographs_at
from kessa.record.places import may, services
from kessa.record.places.models import Pair, Place
from kessa.record.places.selectors import chosen_sets, pairs_of, place_at
from kessa.record.results.history import Lately, found_lately, usual_at
from kessa.record.results.pairs import pairs_speak
from kessa.record.results.selectors import latest_results
from kessa.record.rounds.selectors import dues_at
from kessa.record.visits.selectors import seen_lately, series, visit_with_people

_PAGE = 40


@member
@require_GET
def index(request: TeamRequest) -> HttpResponse:
    """The places by name, each with its newest result; a page at a time where there are many."""
    wanted = request.GET.get("name", "")[:80].replace("\0", "")
    shown = places_by_state(request.membership.team, wanted, request.GET.get("after", "")[:90].replace("\0", ""), _PAGE)
    context = {
        "places": shown[:_PAGE],
        "after": place_key(shown[_PAGE - 1]) if len(shown) > _PAGE else "",
        "wanted": wanted,
        "many": bool(wanted) or len(shown) > _PAGE or "after" in request.GET,
    }
    return render(request, "places/index.html", context)


@member
@require_GET
def place(request: TeamRequest, pk: int) -> HttpResponse:
    """A place: its trend, what is usual, the latest visit, what comes next."""
    found = only_or_404(place_at(team=request.membership.team_id, pk=pk))
    lately, pairs = found_lately(found), pairs_of(found)
    done_lately = lately_at(team=found.team_id, place=found.pk)
    photographs, earlier = photographs_at(found, request.GET.get("photographs_before", ""))
    reference = next((other for pair, other, _ in pairs if pair.second_id == found.pk), None)
    context = {
        "place": found,
        "pairs": pairs,
        "reference": reference,
        "dues": dues_at(found),
        **_seen_at(found, request.GET.get("seen", "")),
        "photographs": photographs,
        "photographs_before": earlier,
        **_found_at(found, lately, reference, request.GET.get("test", ""), request.user, acted=bool(done_lately)),
        **_pressing_at(found, lately, request.user),
        "actions": at_place(team=found.team_id, place=found.pk),
        "lately": done_lately,
        "sets": chosen_sets(found),
    }
    return render(request, "places/place.html", context)


def _pressing_at(place: Place, lately: Lately, reader: User) -> dict[str, Any]:
    """What presses most at a place, and what was found out on its latest visit, by whom."""
    if not lately.newest:
        return {}
    visited = visit_with_people(place.team_id, lately.visit) if lately.visit else None
    found = found_at_place(place, lately, reader, visited.people if visited else {})
    return {
        "pressing": found.pressing,
        "state": found.state,
        "spoken": pairs_speak(found.pressing, place),
        "plain": found.plain,
        "steps": found.steps,
        "stands": found.advice.verdict,
        "visited": visited,
        "rows": found.visit_rows,
    }


def _found_at(
    place: Place, lately: Lately, reference: Place | None, asked: str, reader: User, *, acted: bool
) -> dict[str, Any]:
    """What was found out at a place, and the course of one series of results, with that of the place compared.

    `acted` is whether anything was ever done about results there, so that it stands on the course.
    """
    all_series = {slugify("-".join(filter(None, series))): series for series in lately.series}
    chosen = all_series.get(asked) or next(iter(all_series.values()), None)
    if chosen is None:
        return {"all_series": {}, "chart": None, "narrow": ""}
    results = latest_results(place, **chosen._asdict())
    compared = latest_results(reference, **chosen._asdict()) if reference else []
    usual = usual_at(place, chosen)
    done = done_events(place, results[-1].taken_at, results[0].taken_at, reader) if results and acted else []
    lines = [
        Line(limit.max, f"{rule_set.title}, {limit.statistic}: {limit.max:g}")
        for rule_set, limit in speaking_of(chosen.parameter, chosen_sets(place), place.kind_key, place.feeds)
        if limit.max is not None and (limit.unit, limit.form or "") == (chosen.unit, chosen.form)
    ]
    return {
        "all_series": all_series,
        "series": chosen,
        "chosen": next(key for key, each in all_series.items() if each == chosen),
        "numbers": number_rows(results, reader),
        "usual": usual,
        "chart": trend(results, compared, lines, _bands(usual), events=done) if results else None,
        "narrow": trend(results, compared, lines, _bands(usual), events=done, width=NARROW).svg() if results else "",
    }


def _bands(usual: UsualRange | None) -> list[Band]:
    return [Band(usual.low, usual.high)] if usual else []


def _seen_at(place: Place, asked: str) -> dict[str, Any]:
    """What was seen and read on the last visits, and the course of one scale."""
    lately = seen_lately(place)
    observed = {key for _, seen in lately for key in seen}
    scales = [scale for scale in scales_for(place.kind_key) if scale.key in observed]
    numbers = sorted((scale for scale in scales if scale.unit), key=lambda scale: scale.group != IN_PLACE)
    chosen = next((scale for scale in numbers if scale.key == asked), next(iter(numbers), None))
    readings = series(place, chosen.key) if chosen else []
    rows = [
        (
            scale,
            [(scale.said(seen[scale.key].value), seen[scale.key]) if scale.key in seen else None for _, seen in lately],  # type: ignore[arg-type]
        )
        for scale in scales
    ]
    return {
        "seen_visits": [visit for visit, _ in lately],
        "seen_rows": rows,
        "seen_numbers": numbers,
        "seen_scale": chosen,
        "seen_chart": trend(readings, [], [], []) if readings else None,
        "seen_narrow": trend(readings, [], [], [], width=NARROW).svg() if readings else "",
    }


@technician
@require_GET
def create(request: TeamRequest) -> HttpResponse:
    """Ask what kind of place is added, of those that the person may add."""
    kinds = [kind for key, kind in place_kinds().items() if may.keep_place(request.membership, Place(kind_key=key))]
    return render(request, "places/create.html", {"kinds": kinds})


@technician
def edit(request: TeamRequest, pk: int | None = None, kind: str = "") -> HttpResponse:
    """Add a place of a kind, or change one."""
    team = request.membership.team
    if pk is None and kind not in place_kinds():
        raise Http404
    found = Place(kind_key=kind) if pk is None else get_object_or_404(Place.objects.for_team(team), pk=pk)
    if not may.keep_place(request.membership, found):
        raise PermissionDenied(may.keep_place.refusal)
    form = PlaceForm(team, request.POST or None, instance=found, system=request.user.amount_system)
    if request.method == "POST" and form.is_valid():
        try:
            kept = services.keep_place(request.membership, form.save(commit=False))
            messages.success(request, f"{kept.name} is saved.")
            return redirect("places:place", kept.pk)
        except IntegrityError:
            form.add_error("name", "Your team has a place of this name already.")
    return render(request, "places/edit.html", {"form": form, "place": found}, status=422 if form.errors else 200)


@technician
@require_http_methods(["GET", "POST"])
def pairs(request: TeamRequest, pk: int) -> HttpResponse:
    """The places with which a place is compared; another is added, or one taken off."""
    found = get_object_or_404(Place.objects.for_team(request.membership.team).select_related("team"), pk=pk)
    if not may.keep_pair(request.membership, found):
        raise PermissionDenied(may.keep_pair.refusal)
    form = PairForm(found, request.POST or None)
    if request.method == "POST":
        try:
            if not form.is_valid():
                raise ValidationError("Choose the other place of the pair.")
            services.keep_pair(request.membership, form.pair)
            messages.success(request, f"{form.pair.second} is compared with {form.pair.first}.")
        except ValidationError as error:
            messages.error(request, error.message)
        return redirect("places:place", pk)
    return render(request, "places/pairs.html", {"place": found, "pairs": pairs_of(found), "form": form})


@technician
@require_POST
def part_pair(request: TeamRequest, pk: int) -> HttpResponse:
    """Take a pair apart."""
    pair = get_object_or_404(Pair.objects.for_team(request.membership.team), pk=pk)
    services.part_pair(request.membership, pair)
    messages.success(request, "The pair is taken apart.")
    return redirect("places:place", pair.second_id)
