"""Visits: safety first, circumstances, samples, and the field sheet."""

import uuid
from typing import Any

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.db.models import prefetch_related_objects
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_GET, require_POST

from kessa.core.job.circumstances import SEVERAL, Scale, scales_for
from kessa.core.job.hazards import hazards_of
from kessa.core.job.ways import Way, oxygen_steps, usual_way, ways_for
from kessa.core.judging.plausible import bounds_of
from kessa.core.methods.leading import led_at
from kessa.core.quantities.quantity import plain
from kessa.core.quantities.units import sign
from kessa.drawings.qr import qr_code
from kessa.pages.base.once_form import OnceForm
from kessa.pages.visits.forms import (
    BottlesForm,
    CloseForm,
    HandoverForm,
    LabelsForm,
    ObservationRightForm,
    SampleForm,
    SampleRightForm,
)
from kessa.record.people.access import member
from kessa.record.people.sessions import end_soon
from kessa.record.photographs.selectors import photographs_of
from kessa.record.places.models import Place
from kessa.record.places.selectors import pairs_of
from kessa.record.rounds.field_sheet import Line, Sheet, field_sheet
from kessa.record.rounds.selectors import dues_at
from kessa.record.rules.selectors import house_rules
from kessa.record.standing.advising import visit_in_plain_words
from kessa.record.taps.hands import whose
from kessa.record.taps.incoming import BadTap
from kessa.record.taps.models import Tap
from kessa.record.taps.selectors import next_seq
from kessa.record.taps.services import NoSuchStream, record_whole, tapped
from kessa.record.testing.corrections import put_sample_right as right_sample
from kessa.record.visits import may, services
from kessa.record.visits.models import Bottle, Observation, Sample, Visit
from kessa.record.visits.safety import SafetyForm
from kessa.record.visits.selectors import (
    at_once_with,
    changed_meanwhile,
    noted_taps,
    observations_of,
    open_visit_at,
    recent_samples,
    stop_before,
    usual_seen,
)
from kessa.record.visits.weather import weather_at


@member
def begin(request: HttpRequest, place_pk: int) -> HttpResponse:
    """Safety first; then the visit begins, for all that is due at the place."""
    team = request.membership.team
    place = get_object_or_404(Place.objects.for_team(team).select_related("team"), pk=place_pk)
    form = SafetyForm(place, request.POST or None, initial=offered_again(request))
    once = OnceForm(request.POST or None)
    if request.method == "POST" and form.is_valid() and once.is_valid():
        mine = Visit.objects.for_team(team).filter(place=place, leader=request.user, closed_at=None).first()
        if mine:
            return redirect("visits:visit", mine.pk)
        said = {"place": place.pk, "safety": {key: request.POST.get(key) for key in form.fields if key in request.POST}}
        return _tapped(request, once.number, "visit_begun", said) or redirect("visits:visit", once.number)
    context = {"form": form, "once": once, **before_going(place)}
    return render(request, "visits/begin.html", context, status=422 if form.errors else 200)


def offered_again(request: HttpRequest) -> dict[str, str]:
    """Who comes along and who knows, as said at the stop before; what is to be confirmed is confirmed anew."""
    stop = stop_before(request.membership.team_id, request.user.pk, timezone.now())
    return {key: stop.safety[key] for key in ("company", "told", "back_by") if key in stop.safety} if stop else {}


def before_going(place: Place) -> dict[str, Any]:
    """What is to be read before one goes to a place: what is due there, hazards, what is worn, the team's rules."""
    dues = dues_at(place)
    prefetch_related_objects([due.stop for due in dues], "tests")
    methods = {test.family: led_at(test.method, place.kind) for due in dues for test in due.stop.tests.all()}
    return {
        "place": place,
        "dues": dues,
        # Why it is worn stands with the hazards.
        "wear": list(dict.fromkeys(method.wear.split(":")[0] for method in methods.values() if method.wear)),
        "hazards": hazards_of([use.supply for method in methods.values() for use in method.uses]),
        "rules": house_rules(place.team_id),
    }


def _tapped(request: HttpRequest, number: uuid.UUID, kind: str, data: dict[str, Any]) -> HttpResponse | None:
    """Tap for the person what the page says; where it is refused, say why and lead back."""
    try:
        record_whole(request.membership, "visit", number, [tapped(kind, data, seq=next_seq(number))])
        return None
    except (BadTap, NoSuchStream) as refused:
        messages.error(request, str(refused))
    exists = Visit.objects.for_team(request.membership.team).filter(pk=number).exists()
    return redirect("visits:visit", number) if exists else redirect("rounds:today")


@member
def sample(request: HttpRequest, place_pk: int) -> HttpResponse:
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
    if as_read and "temperature" in seen:
        asked["water_temperature_c"] = round(seen["temperature"].value, 1)
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
    return render(request, "visits/sample.html", context, status=422 if form.errors else 200)


def steps_of(way: Way, form: SampleForm) -> list[str]:
    """Return how a sample is drawn, at the depth that its form offers."""
    return [step.format(depth=f"{plain(form.initial['depth_cm'])} cm") for step in way.steps]


def _drawn(request: HttpRequest, place: Place, form: SampleForm) -> HttpResponse | None:
    """Note the sample on the visit that goes on there, or of those hours, or on one of its own."""
    said = form.cleaned_data
    number = form.number
    noted = Sample.objects.for_team(place.team_id).filter(pk=number).first()
    named = ("drawn_by", "depth_cm", "water_temperature_c")
    if noted and any(said[name] != getattr(noted, name) for name in named if name in said):
        form.add_error(None, f"Sample {noted.number} is noted already, otherwise than this: put it right on its visit.")
        return None
    around = noted.visit if noted else services.visit_around(place, said["drawn_at"])
    data = {
        "place": place.pk,
        "sample": str(number),
        "at": said["drawn_at"].isoformat(),
        "by": said["drawn_by"].pk,
        "depth_cm": _number(said.get("depth_cm")),
        "water_temperature_c": _number(said.get("water_temperature_c")),
        "way": said["way"],
        "bottle": said["bottle"].pk if said.get("bottle") else None,
    }
    stream = around.pk if around else uuid.uuid5(number, "visit")
    tap = tapped("sample_drawn", data, at=said["drawn_at"], seq=next_seq(stream))
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
def visit(request: HttpRequest, pk: uuid.UUID) -> HttpResponse:
    """The visit, which is the field sheet; the next thing to do is the largest."""
    found = _visit(request, pk)
    sheet = field_sheet(found)
    context = {
        "visit": found,
        **visit_in_plain_words(found),
        "sheet": sheet,
        "pairs": pairs_of(found.place),
        "handovers": found.handovers.select_related("giver", "taker").order_by("at"),
        "photographs": photographs_of(found),
        "handover_form": HandoverForm(found),
        "changed": changed_meanwhile(found),
        "late": Tap.objects.for_team(found.team_id).filter(stream=found.pk, late=True).count(),
        "leads": may.lead_visit(request.membership, found),
        "at_once": [(each, said, None if said else field_sheet(each)) for each, said in at_once_with(found)],
        "noted": [*sheet.samples, *(line.now for line in [*sheet.in_place, *sheet.circumstances] if line.now)],
    }
    return render(request, "visits/visit.html", context)


@member
@require_GET
@ensure_csrf_cookie
def circumstances(request: HttpRequest, pk: uuid.UUID) -> HttpResponse:
    """Quick choices for what is seen and read, with the last visit's beside them."""
    found = _visit(request, pk)
    if not found.is_open:
        return redirect("visits:visit", pk)
    sheet = field_sheet(found)
    payload = {
        "stream": str(found.pk),
        "address": reverse("taps:receive", args=["visit", pk]),
        "whose": whose(request.membership),
        "taps": noted_taps(found),
        "scales": number_scales(found.place),
    }
    groups = by_group(sheet)
    # What the service says is a proposal: it is taken by a tap, never by itself.
    weather = weather_at(found.place, timezone.now())
    if "weather" in groups:
        groups["weather"] = [line._replace(proposed=weather.get(line.scale.key)) for line in groups["weather"]]
    context = {"visit": found, "sheet": sheet, "groups": groups, "several_from": SEVERAL, "payload": payload}
    return render(request, "visits/circumstances.html", context)


@member
@require_POST
def tell_of_two(request: HttpRequest, pk: uuid.UUID) -> HttpResponse:
    """Say whether this visit and another at its time are one."""
    found, joined = _visit(request, pk), request.POST.get("joined") == "yes"
    other = next((each for each, _ in at_once_with(found) if str(each.pk) == request.POST.get("other")), None)
    if other is None:
        raise Http404
    try:
        why = request.POST.get("why", "")
        services.tell_of_two(request.membership, found, other=other, joined=joined, why=why)
        messages.success(request, "They are one visit now." if joined else "They stay two visits.")
    except ValidationError as refused:
        messages.error(request, refused.message)
    return redirect("visits:visit", pk)


@member
@require_POST
def pause(request: HttpRequest, pk: uuid.UUID) -> HttpResponse:
    """Leave a visit for a while."""
    return _led(request, pk, "paused", {}, "Paused. It waits on Today.", "rounds:today")


@member
@require_POST
def resume(request: HttpRequest, pk: uuid.UUID) -> HttpResponse:
    """Go on with a visit."""
    return _led(request, pk, "resumed", {}, "")


@member
@require_POST
def hand_over(request: HttpRequest, pk: uuid.UUID) -> HttpResponse:
    """Hand a visit to another person."""
    found = _visit(request, pk)
    form = HandoverForm(found, request.POST)
    if not form.is_valid():
        messages.error(request, "Choose someone of your team.")
        return redirect("visits:visit", pk)
    taker, remark = form.cleaned_data["taker"], form.cleaned_data["remark"]
    return _led(request, pk, "handed_over", {"taker": taker.pk, "remark": remark}, f"{taker} has this visit now.")


@member
def close(request: HttpRequest, pk: uuid.UUID) -> HttpResponse:
    """Close a visit, with what is missing said."""
    found = _visit(request, pk)
    sheet = field_sheet(found)
    form = CloseForm(request.POST if request.method == "POST" else None)
    if request.method == "POST" and form.is_valid():
        said = f"The visit to {found.place} is closed. Tell whoever waits to hear from you."
        end_soon(request)
        return _led(request, pk, "visit_closed", {"remark": form.cleaned_data["remark"]}, said)
    if not found.is_open:
        return redirect("visits:visit", pk)
    return render(request, "visits/close.html", {"visit": found, "sheet": sheet, "form": form})


@member
@require_GET
def without_visit(request: HttpRequest, pk: uuid.UUID) -> HttpResponse:
    """The sheet of samples that were drawn without a visit."""
    rows = Visit.objects.for_team(request.membership.team).select_related("place", "team")
    found = get_object_or_404(rows, pk=pk)
    if found.leader_id:
        return redirect("visits:visit", pk)
    return render(request, "visits/without_visit.html", {"visit": found, "sheet": field_sheet(found)})


@member
def put_sample_right(request: HttpRequest, pk: uuid.UUID) -> HttpResponse:
    """Put right what was noted of a sample: what was tested on it is written anew."""
    rows = Sample.objects.for_team(request.membership.team).select_related("visit__place", "drawn_by")
    found = get_object_or_404(rows, pk=pk)
    form = SampleRightForm(found, request.POST or None)
    if request.method == "POST" and form.is_valid():
        changed = form.changed()
        if changed:
            right_sample(request.membership, found, changed, why=form.cleaned_data["why"])
            messages.success(request, f"Sample {found.number} is put right. What was noted before stays to be seen.")
        return redirect(_page_address(found.visit))
    context = {"form": form, "title": f"Put sample {found.number} right", "back": _page_address(found.visit)}
    return render(request, "base/correction.html", context, status=422 if form.errors else 200)


@member
def put_observation_right(request: HttpRequest, pk: uuid.UUID, key: str) -> HttpResponse:
    """Put right what was noted on a visit's scale."""
    found = _visit(request, pk)
    scale = next((each for each in scales_for(found.place.kind_key) if each.key == key), None)
    if scale is None:
        raise Http404
    seen = observations_of(found).get(key) or Observation(
        team_id=found.team_id, visit=found, key=key, person=request.user, at=found.started_at, seq=0
    )
    form = ObservationRightForm(scale, seen.value, request.POST or None)
    if request.method == "POST" and form.is_valid():
        right = form.cleaned_data
        try:
            services.correct_observation(request.membership, seen, right["value"], why=right["why"])
            messages.success(request, f"{scale.label} is put right. What was noted before stays to be seen.")
            return redirect("visits:visit", pk)
        except ValidationError as error:
            form.add_error(None, error)
    context = {"form": form, "title": f"Put {scale.label.lower()} right", "back": _page_address(found)}
    return render(request, "base/correction.html", context, status=422 if form.errors else 200)


def _page_address(found: Visit) -> str:
    return reverse("visits:visit" if found.leader_id else "visits:without_visit", args=[found.pk])


@member
def labels(request: HttpRequest) -> HttpResponse:
    """Labels to print for bottles: one for each place asked for, with the number its sample will have."""
    team = request.membership.team
    if request.method == "POST":
        form = LabelsForm(team, request.POST)
        if not form.is_valid():
            messages.error(request, f"Choose 1 to {LabelsForm.most} places to label bottles for.")
            return redirect("visits:labels")
        places = form.cleaned_data["place"].select_related("team")
        made = [services.label_bottle(request.membership, place) for place in places]
        return redirect(f"{reverse('visits:labels')}?{'&'.join(f'bottle={each.pk}' for each in made)}")
    chosen = BottlesForm(team, request.GET)
    bottles = Bottle.objects.for_team(team).select_related("place").order_by("-number")
    shown = chosen.cleaned_data["bottle"] if chosen.is_valid() else bottles.filter(sample=None)[: LabelsForm.most]
    rows = [(each, qr_code(request.build_absolute_uri(reverse("visits:bottle", args=[each.code])))) for each in shown]
    return render(request, "visits/labels.html", {"bottles": rows, "places": Place.objects.for_team(team)})


@member
@require_GET
def bottle(request: HttpRequest, code: str) -> HttpResponse:
    """Where a scanned label leads: to its sample, or to drawing it."""
    found = get_object_or_404(
        Bottle.objects.for_team(request.membership.team).select_related("sample__visit"), code=code
    )
    if found.sample is None:
        return redirect(f"{reverse('visits:sample', args=[found.place_id])}?bottle={found.pk}")
    if found.sample.visit.leader_id:
        return redirect(f"{reverse('visits:visit', args=[found.sample.visit_id])}#sample-{found.sample_id}")
    return redirect("bench:method", found.sample_id)


def _visit(request: HttpRequest, pk: uuid.UUID) -> Visit:
    rows = Visit.objects.for_team(request.membership.team).filter(leader__isnull=False)
    return get_object_or_404(rows.select_related("place", "team", "leader", "closed_by"), pk=pk)


def _led(
    request: HttpRequest, pk: uuid.UUID, kind: str, data: dict[str, Any], said: str, page: str = ""
) -> HttpResponse:
    """Tap what only who leads a visit may, and say so."""
    found = _visit(request, pk)
    if found.closed_at:
        closed = timezone.localtime(found.closed_at)
        messages.error(request, f"This visit was closed at {closed:%H:%M} by {found.closed_by}.")
        return redirect("visits:visit", pk)
    refused = _tapped(request, pk, kind, data)
    if refused:
        return refused
    if said:
        messages.success(request, said)
    return redirect(page) if page else redirect("visits:visit", pk)


def by_group(sheet: Sheet) -> dict[str, list[Line]]:
    """Return the lines of a field sheet as the page of circumstances shows them: those read in place first."""
    groups: dict[str, list[Line]] = {}
    for line in [*sheet.in_place, *sheet.circumstances]:
        groups.setdefault(line.scale.group, []).append(line)
    return groups


def number_scales(place: Place) -> dict[str, Any]:
    """Each scale that is a number, for the page: its units by slope and offset, and what is usual at the place."""
    usual = usual_seen(place)
    return {
        scale.key: {
            "own": scale.unit,
            "sign": sign(scale.unit),
            "units": {unit: _line(scale, unit) for unit in scale.units},
            "usual": [usual[scale.key].low, usual[scale.key].high] if scale.key in usual else None,
            "can_be": bounds_of(scale.key, place.water),
            "scale": [scale.least, scale.most],
        }
        for scale in scales_for(place.kind_key)
        if scale.unit
    }


def _line(scale: Scale, unit: str) -> tuple[float, float]:
    offset = scale.brought_from(0.0, unit)
    return scale.brought_from(1.0, unit) - offset, offset
