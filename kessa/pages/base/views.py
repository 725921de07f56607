"""Pages that belong to no noun of the job: errors, the way home, the worker that keeps pages for no signal."""

import sys
from functools import cache
from typing import Any

from django.contrib.staticfiles.storage import staticfiles_storage
from django.core.exceptions import RequestDataTooBig
from django.db import InterfaceError, OperationalError
from django.http import HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.template.loader import render_to_string
from django.urls import reverse
from django.views.decorators.http import require_GET
from psycopg.errors import QueryCanceled
from pydantic import ValidationError

from kessa.pages.base.bundles import needed
from kessa.record.people.access import TeamRequest, anyone, member

# Seconds, as the page itself has it.
_AGAIN_AFTER = "5"
_SHELL = (
    "base/kessa.css",
    "bench/bench.css",
    "bench/board.css",
    "bench/reading.css",
    "base/plan.css",
    "base/bulma.css",
    "base/mark.svg",
    "base/vendor/atkinson-hyperlegible-next/atkinson-hyperlegible-next-400-700.woff2",
)
# The scripts of what opens without a signal: see KEPT in worker.js.template.
_WITHOUT_SIGNAL = (
    "base/page.js",
    "base/member.js",
    "base/kept-forms.js",
    "bench/bench-page.js",
    "bench/board-page.js",
    "conditions/visit.js",
    "offline/visit.js",
    "phone/phone.js",
    "today/keep-due-offline.js",
)


@anyone
@require_GET
def home(request: TeamRequest) -> HttpResponse:
    """Lead to today."""
    return redirect("today:today")


@member
@require_GET
def more(request: TeamRequest) -> HttpResponse:
    """What the bar at the bottom of a phone has no room for."""
    return render(request, "base/more.html")


@anyone
@require_GET
def worker(request: TeamRequest) -> HttpResponse:
    """Serve the page-keeping worker from the root, so that it may keep any page."""
    shell = [staticfiles_storage.url(path) for path in (*_SHELL, *_scripts())]
    return render(request, "base/worker.js.template", {"shell": shell}, content_type="text/javascript")


@cache
def _scripts() -> list[str]:
    """Return the names of the scripts of pages that open without a signal, as they load them."""
    return sorted({name for page in _WITHOUT_SIGNAL for name in needed()[page]})


@anyone
@require_GET
def manifest(request: TeamRequest) -> JsonResponse:
    """Say how Kessa stands on a phone on which it is installed."""
    data = {
        "name": "Kessa",
        "short_name": "Kessa",
        "description": "The bench companion and logbook of people who test water with kits",
        "start_url": reverse("today:today"),
        "scope": "/",
        "display": "standalone",
        "background_color": "#f7f6f1",
        "theme_color": "#ffffff",
        "icons": [{"src": staticfiles_storage.url("base/mark.svg"), "sizes": "any", "type": "image/svg+xml"}],
    }
    return JsonResponse(data, content_type="application/manifest+json")


@anyone
@require_GET
def not_available(request: TeamRequest) -> HttpResponse:
    """What is shown without a signal instead of a page that was not taken along: it names nobody."""
    return HttpResponse(render_to_string("base/not_available.html"))


def _wants_json(request: TeamRequest) -> bool:
    return request.path.startswith(("/taps/", "/api/v1/"))


def _error(request: TeamRequest, status: int, title: str, message: str, *, again: bool = False) -> HttpResponse:
    """Answer without touching the database, which may be what is missing."""
    if _wants_json(request):
        return JsonResponse({"error": message}, status=status)
    context = {"title": title, "message": message, "again": again}
    return HttpResponse(render_to_string("base/error.html", context), status=status)


def one_moment(request: TeamRequest, status: int, message: str) -> HttpResponse:
    """Answer that something is under way: the page asks again by itself."""
    context = {"title": "One moment", "message": message, "again": True}
    answer = render(request, "base/error.html", context, status=status)
    answer["Retry-After"] = _AGAIN_AFTER
    return answer


def bad_request(request: TeamRequest, exception: Any = None) -> HttpResponse:
    """Say what cannot be taken."""
    if isinstance(exception, RequestDataTooBig):
        return _error(request, 413, "Too large", "This is more than Kessa takes at once. Send less.")
    return _error(request, 400, "Not understood", "Kessa could not read this. Go back and try again.")


def not_allowed(request: TeamRequest, exception: Any = None) -> HttpResponse:
    """Say who may."""
    message = str(exception) if exception and str(exception) else "Your role in the team does not allow this."
    return _error(request, 403, "Not allowed", message)


def not_found(request: TeamRequest, exception: Any = None) -> HttpResponse:
    """Say that there is nothing here, or nothing of this team's."""
    return _error(request, 404, "Not here", "There is no such page, or it belongs to another team.")


def server_error(request: TeamRequest) -> HttpResponse:
    """Say what failed; a database that is lost, or a row that is held too long, is told apart: waiting helps there."""
    fault = sys.exc_info()[1]
    if isinstance(fault, OperationalError) and isinstance(fault.__cause__, QueryCanceled) and request.GET:
        # Asked again it would take as long.
        message = "This takes longer than Kessa looks for. Ask for less at once: one place, one test, fewer days."
        return _error(request, 503, "Too much at once", message)
    if isinstance(fault, OperationalError | InterfaceError):
        again = request.method == "GET"
        following = "This page tries again by itself." if again else "Go back and send it again in a moment."
        message = f"Kessa cannot get at its records just now. Taps are kept in your browser. {following}"
        answer = _error(request, 503, "Not reachable just now", message, again=again)
        answer["Retry-After"] = _AGAIN_AFTER
        return answer
    if isinstance(fault, ValidationError):
        message = "What is kept here cannot be read by this release of Kessa. Nothing of it is lost: tell who runs it."
        return _error(request, 500, "Cannot be shown", message)
    message = "Something went wrong in Kessa; it has been noted. Taps are kept in your browser."
    return _error(request, 500, "Our mistake", message)


def csrf_failure(request: TeamRequest, reason: str = "") -> HttpResponse:
    """Say how to get past a stale page."""
    message = "This page was opened too long ago, or you have signed in anew. Reload it and try again."
    return _error(request, 403, "Page too old", message)
