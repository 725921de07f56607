"""Knowing, on each request, in which team a person works."""

import zoneinfo
from collections.abc import Callable

from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from django.utils.functional import SimpleLazyObject

from kessa.people.selectors import current_membership


class TeamMiddleware:
    """Puts `membership` on the request (falsy where there is none) and shows times in the team's zone."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer the request with its membership known."""
        request.membership = SimpleLazyObject(lambda: _membership_with_zone(request))  # type: ignore[attr-defined]
        try:
            return self.get_response(request)
        finally:
            timezone.deactivate()


def _membership_with_zone(request: HttpRequest):  # type: ignore[no-untyped-def]
    membership = current_membership(request.user, request.session.get("team"))
    if membership:
        timezone.activate(zoneinfo.ZoneInfo(membership.team.time_zone))
    return membership
