"""Pads read from a photograph: taking it, setting the corners, looking, keeping; and learning a kit's scale."""

import json
import uuid
from functools import cache
from itertools import count
from typing import Any

from django import forms
from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import FileResponse, Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.template.loader import render_to_string
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from kessa.core.errors import CannotCompute
from kessa.core.job.schools import complete
from kessa.core.pictures.card import MARKS, PAPER, PATCHES, SLOT, TALL, WIDE
from kessa.core.pictures.reading import Proposal
from kessa.core.runs.state import RunState
from kessa.pages.bench.inputs import inputs_of
from kessa.record.determinations.models import Determination
from kessa.record.determinations.state import bench_of
from kessa.record.methods.selectors import families_of
from kessa.record.pads import services
from kessa.record.pads.models import Scale
from kessa.record.pads.placed import Placed, first_guess, out_of_time, pixels, read_at, taken_at
from kessa.record.pads.selectors import eye_and_machine, learnable, matched_parts, scales_of
from kessa.record.people.access import TeamRequest, member, technician
from kessa.record.photographs.models import Photograph
from kessa.record.photographs.pictures import served
from kessa.record.photographs.services import add_photograph
from kessa.record.reports.printing import paper
from kessa.record.taps.selectors import counted


class PictureForm(forms.Form):
    """A photograph."""

    image = forms.FileField(
        label="Photograph", widget=forms.FileInput(attrs={"accept": "image/*", "capture": "environment"})
    )


@member
@require_GET
def card(request: TeamRequest) -> HttpResponse:
    """The reference card, at its true size."""
    response = HttpResponse(_card(), content_type="application/pdf")
    response["Content-Disposition"] = 'inline; filename="kessa-card.pdf"'
    return response


@cache
def _card() -> bytes:
    # What is white is the paper itself.
    inked = [patch for patch in PATCHES if patch.lab != PAPER]
    context = {"wide": WIDE, "tall": TALL, "marks": MARKS, "inked": inked, "slot": SLOT}
    return paper(render_to_string("pads/card.html", context))


def _open_test(request: TeamRequest, pk: uuid.UUID) -> Determination:
    rows = Determination.objects.for_team(request.membership.team_id).select_related("team", "sample__visit__place")
    found: Determination = get_object_or_404(rows, pk=pk)
    if found.closed_at or not matched_parts(found.method):
        raise Http404
    return found


@member
def photograph(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """Take or choose the photograph; what is not learnt yet is said first."""
    test = _open_test(request, pk)
    form = PictureForm(request.POST or None, request.FILES or None)
    if request.method == "POST" and form.is_valid():
        try:
            added = add_photograph(
                request.membership, test, "determination", form.cleaned_data["image"], "Read by machine"
            )
            return redirect("pads:read", pk, added.pk)
        except ValidationError as error:
            form.add_error("image", error)
    known = scales_of(test.team_id, test.family)
    context = {
        "test": test,
        "form": form,
        "parts": [(part, known.get(part.key)) for part in matched_parts(test.method)],
        "marks": MARKS,
    }
    return render(request, "pads/photograph.html", context, status=422 if form.errors else 200)


@member
def read(request: TeamRequest, pk: uuid.UUID, photograph_pk: int) -> HttpResponse:
    """Look at what is proposed; say what the eye sees; keep both."""
    test = _open_test(request, pk)
    rows = Photograph.objects.for_team(test.team_id)
    picture = get_object_or_404(rows, pk=photograph_pk, determination=test)
    known = scales_of(test.team_id, test.family)
    parts = matched_parts(test.method)
    one = len(parts) == 1
    if not known and not one:
        return redirect("pads:photograph", pk)
    bench = bench_of(test, counted(test.team_id, test.pk))
    number = next(n for n in count(1) if n not in bench.samples or not bench.samples[n].finished)
    at = taken_at(picture.added_at, picture.taken_at)
    levels = pixels(picture.image)
    placed, fault = _placed(request, levels)
    off = out_of_time(test, bench, bench.samples.get(number, RunState()), at)
    found: dict[str, Proposal] = {}
    try:
        found, refused = read_at(levels, placed, parts, known, off)
        fault = fault or (refused.words if refused else "")
    except CannotCompute as error:
        fault = str(error.message)
    if request.method == "POST" and not request.htmx:
        kept = _keep(request, test, f"sample-{number}", at, parts, found, picture)
        if kept:
            return redirect("bench:determination", pk)
    options = {each.part.key: each for each in inputs_of(test, complete(test.house_rules)["between_colours"])}
    context = {
        "test": test,
        "picture": picture,
        "placed": placed,
        "fault": fault,
        "rows": [
            (part, found.get(part.key), options[part.key], request.POST.get(f"seen-{part.key}", "")) for part in parts
        ],
        "run": number,
        "one": one,
    }
    return render(request, "pads/proposals.html" if request.htmx else "pads/read.html", context)


def _placed(request: TeamRequest, levels: Any) -> tuple[Placed, str]:
    """Return what a person set on a picture, or a first guess with what was wrong with it."""
    if request.method == "POST":
        try:
            return Placed.said(request.POST), ""
        except ValidationError as error:
            return first_guess(levels), str(error.message)
    return first_guess(levels), ""


def _keep(
    request: TeamRequest,
    test: Determination,
    run: str,
    at: Any,
    parts: list[Any],
    found: dict[str, Proposal],
    picture: Photograph,
) -> bool:
    """Keep what the eye says; what is not answered is not read."""
    taken = {}
    for part in parts:
        given = request.POST.get(f"seen-{part.key}", "")
        if given:
            try:
                taken[part.key] = json.loads(given)
            except ValueError:
                raise Http404 from None
    if not taken:
        messages.error(request, "Say what your eye sees: nothing is taken from a picture alone.")
        return False
    try:
        services.keep_pads(request.membership, test, run, min(at, timezone.now()), taken, found, picture)
    except ValidationError as error:
        messages.error(request, error.message)
        return False
    messages.success(request, "Kept, as your eye saw it; what the picture said is kept beside it.")
    return True


@member
@require_GET
def scales(request: TeamRequest) -> HttpResponse:
    """What was learnt of the kits' cards, and how eyes and machine lie against one another."""
    return _scales(request, PictureForm())


def _scales(request: TeamRequest, form: PictureForm) -> HttpResponse:
    team = request.membership.team
    context = {"rows": learnable(team), "pairs": eye_and_machine(team), "form": form}
    return render(request, "pads/scales.html", context, status=422 if form.errors else 200)


@technician
@require_POST
def bring_scale(request: TeamRequest) -> HttpResponse:
    """Bring a photograph of a kit's own card."""
    family, _, key = request.POST.get("part", "").partition(" ")
    methods = families_of(request.membership.team_id).get(family)
    part = next((each for each in matched_parts(methods[0]) if each.key == key), None) if methods else None
    if part is None:
        raise Http404
    form = PictureForm(request.POST, request.FILES)
    if form.is_valid():
        try:
            scale = services.bring_scale(request.membership, family, part, form.cleaned_data["image"])
            return redirect("pads:scale", scale.pk)
        except ValidationError as error:
            form.add_error("image", error)
    return _scales(request, form)


def _own_scale(request: TeamRequest, pk: int) -> Scale:
    found: Scale = get_object_or_404(Scale.objects.for_team(request.membership.team_id), pk=pk)
    return found


@technician
def scale(request: TeamRequest, pk: int) -> HttpResponse:
    """Set the corners and the ends of the card's steps, and learn their colours."""
    found = _own_scale(request, pk)
    placed, fault = _placed(request, pixels(found.image))
    if request.method == "POST" and not fault:
        try:
            services.learn_scale(request.membership, found, placed)
            messages.success(request, "Learnt. Compare it with the card in your hand; learn it anew where it is off.")
            return redirect("pads:scale", pk)
        except ValidationError as error:
            fault = str(error.message)
    context = {"scale": found, "placed": placed, "fault": fault}
    return render(request, "pads/scale.html", context, status=422 if fault else 200)


@member
@require_GET
def scale_image(request: TeamRequest, pk: int) -> FileResponse:
    """The photograph of a kit's card, for the team only."""
    return served(_own_scale(request, pk).image)
