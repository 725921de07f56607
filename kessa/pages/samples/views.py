"""Samples: drawn, labelled, corrected."""

import uuid
from typing import Any

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET

from kessa.core.job.ways import Way, oxygen_steps, usual_way, ways_for
from kessa.core.quantities.quantity import plain
from kessa.drawings.qr import qr_code
from kessa.pages.samples.forms import BottlesForm, LabelsForm, SampleForm, SampleRightForm
from kessa.pages.visits.views import address_of_visit
from kessa.record.people.access import TeamRequest, member
from kessa.record.places.models import Place
from kessa.record.rounds.field_sheet import field_sheet
from kessa.record.taps.incoming import BadTap
from kessa.record.taps.selectors import next_seq
from kessa.record.taps.services import record_whole, tapped
from kessa.record.testing.corrections import correct_sample as right_sample
from kessa.record.visits import services
from kessa.record.visits.models import Bottle, Sample, Visit
from kessa.record.visits.selectors import observations_of, open_visit_at, recent_samples


@member
def sample(request: TeamRequest, place_pk: int) -> HttpResponse:
    """Draw a sample, step by step, and note it."""
    place = get_object_or_404(Place.objects.for_team(request.membership.team).select_related("team"), pk=place_pk)
    going_on = open_visit_at(place)
    hazard = going_on.safety.get("ice_or_flood", "none") if going_on else "none"
    ways = ways_for(place.kind_key, hazard)
    chosen = request.GET.get("way") or usual_way(ways, place.usual_way, hazard)
    way = next((each for each in ways if each.key == chosen), None)
    asked: dict[str, Any] = {"bottle": request.GET.get("bottle"), "way": way.key if way else ""}
    seen = observations_of(going_on) if going_on else {}
    # What is read in place at a boiler or loop is its feed or return, not what is drawn.
    as_read = going_on and place.kind.drawn_below_c is None
    if as_read and "temperature" in seen and (read := seen["temperature"].value) is not None:
        asked["water_temperature_c"] = round(read, 1)
    form = SampleForm(place, request.user, ways, request.POST or None, initial=asked)
    # No deeper than the water.
    if "water_depth" in seen:
        form.initial["depth_cm"] = min(form.initial["depth_cm"], seen["water_depth"].value)
    if request.method == "POST" and form.is_valid():
        answer = _drawn(request, place, form)
        if answer:
            return answer
    context = {
        "place": place,
        "form": form,
        "recent": recent_samples(place),
        "going_on": going_on,
        "ways": ways,
        "way": way,
        "steps": steps_of(way, form) if way else [],
        "oxygen": oxygen_steps() if place.kind.has_depth else (),
    }
    return render(request, "samples/sample.html", context, status=422 if form.errors else 200)


def steps_of(way: Way, form: SampleForm) -> list[str]:
    """Return how a sample is drawn, at the depth that its form offers."""
    return [step.format(depth=f"{plain(form.initial['depth_cm'])} cm") for step in way.steps]


def _drawn(request: TeamRequest, place: Place, form: SampleForm) -> HttpResponse | None:
    """Note the sample on the visit that goes on there, or of those hours, or on one of its own."""
    given = form.cleaned_data
    number = form.number
    noted = Sample.objects.for_team(place.team_id).filter(pk=number).first()
    named = ("drawn_by", "depth_cm", "water_temperature_c")
    if noted and any(given[name] != getattr(noted, name) for name in named if name in given):
        form.add_error(None, f"Sample {noted.number} is noted already, otherwise than this: put it right on its visit.")
        return None
    around = noted.visit if noted else services.visit_around(place, given["drawn_at"])
    data = {
        "place": place.pk,
        "sample": str(number),
        "at": given["drawn_at"].isoformat(),
        "by": given["drawn_by"].pk,
        "depth_cm": _number(given.get("depth_cm")),
        "water_temperature_c": _number(given.get("water_temperature_c")),
        "way": given["way"],
        "bottle": given["bottle"].pk if given.get("bottle") else None,
    }
    stream = around.pk if around else uuid.uuid5(number, "visit")
    tap = tapped("sample_drawn", data, at=given["drawn_at"], seq=next_seq(stream))
    try:
        record_whole(request.membership, "visit", stream, [tap])
    except BadTap as refused:
        form.add_error("bottle" if "bottle" in form.fields else None, str(refused))
        return None
    if around and around.leader_id:
        return redirect("bench:board" if field_sheet(around).tests else "visits:visit", around.pk)
    return redirect("bench:method", number)


def _number(value: Any) -> float | None:
    return None if value is None else float(value)


@member
@require_GET
def without_visit(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """The sheet of samples that were drawn without a visit."""
    rows = Visit.objects.for_team(request.membership.team).select_related("place", "team")
    found = get_object_or_404(rows, pk=pk)
    if found.leader_id:
        return redirect("visits:visit", pk)
    return render(request, "samples/without_visit.html", {"visit": found, "sheet": field_sheet(found)})


@member
def correct(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """Put right what was noted of a sample: what was tested on it is written anew."""
    rows = Sample.objects.for_team(request.membership.team).select_related("visit__place", "drawn_by")
    found = get_object_or_404(rows, pk=pk)
    form = SampleRightForm(found, request.POST or None)
    if request.method == "POST" and form.is_valid():
        changed = form.changed()
        if changed:
            right_sample(request.membership, found, changed, why=form.cleaned_data["why"])
            messages.success(request, f"Sample {found.number} is put right. What was noted before stays to be seen.")
        return redirect(address_of_visit(found.visit))
    context = {"form": form, "title": f"Put sample {found.number} right", "back": address_of_visit(found.visit)}
    return render(request, "base/correction.html", context, status=422 if form.errors else 200)


@member
def labels(request: TeamRequest) -> HttpResponse:
    """Labels to print for bottles: one for each place asked for, with the number its sample will have."""
    team = request.membership.team
    if request.method == "POST":
        form = LabelsForm(team, request.POST)
        if not form.is_valid():
            messages.error(request, f"Choose 1 to {LabelsForm.most} places to label bottles for.")
            return redirect("samples:labels")
        places = form.cleaned_data["place"].select_related("team")
        made = [services.label_bottle(request.membership, place) for place in places]
        return redirect(f"{reverse('samples:labels')}?{'&'.join(f'bottle={each.pk}' for each in made)}")
    chosen = BottlesForm(team, request.GET)
    bottles = Bottle.objects.for_team(team).select_related("place").order_by("-number")
    shown = chosen.cleaned_data["bottle"] if chosen.is_valid() else bottles.filter(sample=None)[: LabelsForm.most]
    rows = [(each, qr_code(request.build_absolute_uri(reverse("samples:bottle", args=[each.code])))) for each in shown]
    return render(request, "samples/labels.html", {"bottles": rows, "places": Place.objects.for_team(team)})


@member
@require_GET
def bottle(request: TeamRequest, code: str) -> HttpResponse:
    """Where a scanned label leads: to its sample, or to drawing it."""
    found = get_object_or_404(
        Bottle.objects.for_team(request.membership.team).select_related("sample__visit"), code=code
    )
    if found.sample is None:
        return redirect(f"{reverse('samples:sample', args=[found.place_id])}?bottle={found.pk}")
    if found.sample.visit.leader_id:
        return redirect(f"{reverse('visits:visit', args=[found.sample.visit_id])}#sample-{found.sample_id}")
    return redirect("bench:method", found.sample_id)
