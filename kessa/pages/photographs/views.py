"""Adding photographs, and showing them to the team."""

import uuid

from django import forms
from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import FileResponse, Http404, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from kessa.pages.photographs.upload_bound import MOST_BYTES
from kessa.record.determinations.models import Determination
from kessa.record.people.access import TeamRequest, member
from kessa.record.photographs import services
from kessa.record.photographs.models import Photograph
from kessa.record.photographs.pictures import served
from kessa.record.places.models import Place
from kessa.record.visits.models import Sample, Visit

_SUBJECTS = {"place": Place, "visit": Visit, "sample": Sample, "determination": Determination}


class PhotographForm(forms.Form):
    """A file and what it shows."""

    image = forms.FileField(label="Photograph")
    caption = forms.CharField(label="What it shows", max_length=200, required=False)
    made_as = forms.UUIDField(required=False)


@member
@require_POST
def add(request: TeamRequest, subject: str, pk: int | uuid.UUID) -> HttpResponse:
    """Add a photograph of something of the team's."""
    # Places are numbered by the server, what people begin by the browser.
    if subject not in _SUBJECTS or isinstance(pk, int) != (subject == "place"):
        raise Http404
    found = get_object_or_404(_SUBJECTS[subject].objects.for_team(request.membership.team), pk=pk)
    fault = _added(request, subject, found)
    # A page that keeps what waits for a signal asks what became of it.
    if request.headers.get("Accept") == "application/json":
        return JsonResponse({"error": fault} if fault else {}, status=422 if fault else 200)
    if fault:
        messages.error(request, fault)
    else:
        messages.success(request, "The photograph is added. What the camera wrote about you and the place is left out.")
    return redirect(_page_of(subject, found))


def _added(request: TeamRequest, subject: str, found: Place | Visit | Sample | Determination) -> str:
    """Add the photograph that was sent; returns why it was not, or nothing."""
    form = PhotographForm(request.POST, request.FILES)
    if not form.is_valid():
        return _why_nothing_came(request)
    data = form.cleaned_data
    try:
        services.add_photograph(request.membership, found, subject, data["image"], data["caption"], data["made_as"])
    except ValidationError as error:
        return str(error.message)
    return ""


@member
@require_GET
def image(request: TeamRequest, pk: int) -> FileResponse:
    """The picture itself, for the team only."""
    found = get_object_or_404(Photograph.objects.for_team(request.membership.team), pk=pk)
    return served(found.image)


@member
@require_POST
def remove(request: TeamRequest, pk: int) -> HttpResponse:
    """Remove a photograph: who added it, or a coordinator."""
    found = get_object_or_404(Photograph.objects.for_team(request.membership.team), pk=pk)
    subject = next(name for name in _SUBJECTS if getattr(found, f"{name}_id"))
    page = _page_of(subject, getattr(found, subject))
    services.remove_photograph(request.membership, found)
    messages.success(request, "The photograph is removed.")
    return redirect(page)


def _why_nothing_came(request: TeamRequest) -> str:
    sent = int(request.META.get("CONTENT_LENGTH") or 0)
    if sent > MOST_BYTES:
        return f"At most {MOST_BYTES // 1_000_000} MB: this file has {sent / 1e6:.0f}."
    return "Choose a photograph first, with up to 200 letters about it."


def _page_of(subject: str, found: Place | Visit | Sample | Determination) -> str:
    if subject == "place":
        return reverse("places:place", args=[found.pk])
    if subject == "determination":
        return reverse("results:determination", args=[found.pk])
    visit = found.visit if isinstance(found, Sample) else found
    return reverse("visits:visit", args=[visit.pk])
