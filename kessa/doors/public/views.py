"""The pages everybody may see, and how a coordinator opens them."""

import zoneinfo
from hashlib import sha256
from typing import Any

from csp.decorators import csp_replace
from django.contrib import messages
from django.core.cache import cache
from django.core.exceptions import ValidationError
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.template.loader import render_to_string
from django.urls import reverse
from django.utils import timezone
from django.utils.cache import get_conditional_response
from django.utils.http import quote_etag
from django.views.decorators.clickjacking import xframe_options_exempt
from django.views.decorators.http import require_GET, require_POST

from kessa.doors.public.forms import OpenForm
from kessa.drawings.qr import qr_code
from kessa.record.people.access import TeamRequest, anyone, coordinator, member
from kessa.record.public import services
from kessa.record.public.contents import contents_of, open_pages, page_of
from kessa.record.public.models import Page

# For so long a page is given out as it was made: what is taken back is gone within twice this time.
_SECONDS = 60
_LONGEST = 80


@anyone
@require_GET
def page(request: TeamRequest, slug: str) -> HttpResponse:
    """A page for everybody: without an account, without scripts."""
    return _given_out(request, slug, "public/page.html")


@anyone
@require_GET
@xframe_options_exempt
@csp_replace({"frame-ancestors": ["*"]})  # type: ignore[arg-type] # it takes an address's arguments too
def embedded(request: TeamRequest, slug: str) -> HttpResponse:
    """The same within another's page."""
    return _given_out(request, slug, "public/embedded.html")


def _given_out(request: TeamRequest, slug: str, template: str) -> HttpResponse:
    """Give a page out as it is kept, or make it; both sorts are kept together, so that they are forgotten together."""
    if len(slug) > _LONGEST:
        raise Http404
    kept: dict[str, str] = cache.get(services.kept_as(slug), {})
    if template not in kept:
        kept = kept | {template: _made(slug, template)}
        cache.set(services.kept_as(slug), kept, _SECONDS)
    html = kept[template]
    answer = HttpResponse(html)
    answer["Cache-Control"] = f"public, max-age={_SECONDS}"
    answer["ETag"] = quote_etag(sha256(html.encode()).hexdigest()[:32])
    return get_conditional_response(request, etag=answer["ETag"], response=answer) or answer


def _made(slug: str, template: str) -> str:
    found = page_of(slug)
    if found is None:
        raise Http404
    with timezone.override(zoneinfo.ZoneInfo(found.team.time_zone)):
        context: dict[str, Any] = {"page": found, "made_on": timezone.localdate()}
        if found.place:
            context["shown"] = contents_of(found.place)
        else:
            context["places"] = [(each, contents_of(each.place)) for each in open_pages(found.team_id)]
        return render_to_string(template, context)


@coordinator
def index(request: TeamRequest) -> HttpResponse:
    """What is open to everybody; open more."""
    team = request.membership.team
    form = OpenForm(team, request.POST or None)
    if request.method == "POST" and form.is_valid():
        try:
            opened = services.open_page(
                request.membership, team, form.cleaned_data["place"], form.cleaned_data["words"]
            )
            messages.success(request, f"The {opened} is open to everybody.")
            return redirect("public:index")
        except ValidationError as error:
            form.add_error(None, error)
    pages = [
        (each, request.build_absolute_uri(reverse("public:page", args=[each.slug])),
         request.build_absolute_uri(reverse("public:embedded", args=[each.slug])))
        for each in Page.objects.for_team(team).filter(closed_at=None).select_related("place", "team").order_by("pk")
    ]  # fmt: skip
    return render(request, "public/index.html", {"form": form, "pages": pages}, status=422 if form.errors else 200)


@coordinator
@require_POST
def close(request: TeamRequest, pk: int) -> HttpResponse:
    """Close a page."""
    found = get_object_or_404(Page.objects.for_team(request.membership.team), pk=pk)
    services.close_page(request.membership, found)
    messages.success(request, f"The {found} is closed: its address leads nowhere.")
    return redirect("public:index")


@member
@require_GET
def poster(request: TeamRequest, pk: int) -> HttpResponse:
    """A sheet for the bank, with the address as a code."""
    found = get_object_or_404(Page.objects.for_team(request.membership.team).filter(closed_at=None), pk=pk)
    address = request.build_absolute_uri(reverse("public:page", args=[found.slug]))
    return render(request, "public/poster.html", {"page": found, "address": address, "code": qr_code(address)})
