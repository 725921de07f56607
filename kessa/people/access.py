"""Which pages need whom."""

from collections.abc import Callable
from functools import wraps
from typing import Any

from django.contrib.auth.decorators import login_required
from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect

View = Callable[..., HttpResponse]


def member_required(view: View) -> View:
    """Let in signed-in people who belong to a team; others are led to sign in, or to find a team."""

    @wraps(view)
    @login_required
    def guarded(request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponse:
        return view(request, *args, **kwargs) if request.membership else redirect("people:no_team")  # type: ignore[attr-defined]

    return guarded


def technician_required(view: View) -> View:
    """Let in technicians and coordinators."""

    @wraps(view)
    @member_required
    def guarded(request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponse:
        if not request.membership.corrects_others:  # type: ignore[attr-defined]
            raise PermissionDenied("A technician or a coordinator of your team can change this.")
        return view(request, *args, **kwargs)

    return guarded


def coordinator_required(view: View) -> View:
    """Let in coordinators only."""

    @wraps(view)
    @member_required
    def guarded(request: HttpRequest, *args: Any, **kwargs: Any) -> HttpResponse:
        if not request.membership.coordinates:  # type: ignore[attr-defined]
            raise PermissionDenied("Only a coordinator of your team can change this.")
        return view(request, *args, **kwargs)

    return guarded
