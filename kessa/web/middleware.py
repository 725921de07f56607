"""Knowing, on each request, who asks and in which team they work, and turning away whom an address is not open to."""

import zoneinfo
from collections.abc import Callable
from typing import Any, cast

from django.contrib.auth.views import redirect_to_login
from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.utils import timezone
from django.utils.functional import SimpleLazyObject

from kessa.record.compiled import read_once
from kessa.record.people.access import TeamRequest, Who, reaches
from kessa.record.people.models import Membership
from kessa.record.people.selectors import membership_of_session
from kessa.record.people.sessions import keep_signed_in


class TeamMiddleware:
    """Puts `membership` on the request (falsy where there is none), shows the team's time, guards every view."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: TeamRequest) -> HttpResponse:
        """Answer the request with its membership known."""
        request.membership = cast(Membership, SimpleLazyObject(lambda: _membership_with_zone(request)))
        try:
            answer = self.get_response(request)
        finally:
            timezone.deactivate()
        # What a page shows stays in no browser: the next who holds the phone finds nothing by going back.
        if not answer.has_header("Cache-Control"):
            answer["Cache-Control"] = "private, no-store"
        return answer

    def process_view(self, request: TeamRequest, view: Any, args: Any, kwargs: Any) -> HttpResponse | None:
        """Turn away whom the view is not open to; a view that says nothing is open to nobody."""
        who = getattr(view, "open_to", None)
        if who is None:
            raise PermissionDenied("This page is not open to anybody.")
        if who is Who.ANYONE:
            return None
        # The membership brings the person with it, so it is asked for first where it is needed.
        membership = request.membership if who > Who.SIGNED_IN else None
        if not membership and not request.user.is_authenticated:
            return redirect_to_login(request.get_full_path())
        if who is Who.SIGNED_IN:
            return None
        if not membership:
            return redirect("people:no_team")
        if not reaches(membership, who):
            raise PermissionDenied(who.refusal)
        return None


class ReadOnceMiddleware:
    """Reads for a page once what its parts ask for twice; a post reads anew, since it locks what it rests on."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer the request."""
        if request.method not in ("GET", "HEAD"):
            return self.get_response(request)
        with read_once():
            return self.get_response(request)


def _membership_with_zone(request: TeamRequest) -> Any:
    membership = membership_of_session(request)
    if membership:
        keep_signed_in(request.session)
        timezone.activate(zoneinfo.ZoneInfo(membership.team.time_zone))
    return membership
