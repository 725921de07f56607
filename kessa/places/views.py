"""Pages of places."""

from django.contrib import messages
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET

from kessa.bench.selectors import usual_at
from kessa.core.limits import limits_for
from kessa.core.methods import house_methods
from kessa.log.selectors import latest_results, latest_visit, with_latest_result
from kessa.people.access import coordinator_required, member_required
from kessa.places import services
from kessa.places.forms import PlaceForm
from kessa.places.kinds import place_kinds
from kessa.places.models import Place
from kessa.places.selectors import chosen_sets, places
from kessa.web.components.trend import Line, trend


@member_required
@require_GET
def index(request: HttpRequest) -> HttpResponse:
    """Every place with its newest result."""
    return render(request, "places/index.html", {"places": with_latest_result(places(request.membership.team))})


@member_required
@require_GET
def place(request: HttpRequest, pk: int) -> HttpResponse:
    """A place: its trend, what is usual, the latest visit, what comes next."""
    rows = Place.objects.for_team(request.membership.team).select_related("upstream")
    found = get_object_or_404(rows, pk=pk)
    method = next(iter(house_methods().values()))
    results = latest_results(found, method.parameter)
    upstream = latest_results(found.upstream, method.parameter) if found.upstream else []
    usual = usual_at(found, method)
    lines = [
        Line(limit.max, f"{rule_set.title}, {limit.statistic}: {limit.max:g}")
        for rule_set, limit in limits_for(method.parameter, found.limit_sets)
        if limit.max is not None
    ]
    context = {
        "place": found,
        "method": method,
        "chart": trend(results, upstream, lines, usual) if results else None,
        "results": results,
        "usual": usual,
        "visit": latest_visit(found),
        "sets": chosen_sets(found),
    }
    return render(request, "places/place.html", context)


@coordinator_required
@require_GET
def create(request: HttpRequest) -> HttpResponse:
    """Ask what kind of place is added."""
    return render(request, "places/create.html", {"kinds": place_kinds().values()})


@coordinator_required
def edit(request: HttpRequest, pk: int | None = None, kind: str = "") -> HttpResponse:
    """Add a place of a kind, or change one."""
    team = request.membership.team
    if pk is None and kind not in place_kinds():
        raise Http404
    found = get_object_or_404(Place.objects.for_team(team), pk=pk) if pk else Place(kind_key=kind)
    form = PlaceForm(team, request.POST or None, instance=found)
    if request.method == "POST" and form.is_valid():
        kept = services.keep_place(form.save(commit=False))
        messages.success(request, f"{kept.name} is saved.")
        return redirect("places:place", kept.pk)
    return render(request, "places/edit.html", {"form": form, "place": found}, status=422 if form.errors else 200)
