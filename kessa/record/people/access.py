"""Which addresses are open to whom. What is not opened here by its view is closed to everybody."""

from collections.abc import Callable
from enum import IntEnum
from typing import Any, TypeVar

from django.http import HttpRequest
from django_htmx.middleware import HtmxDetails

from kessa.record.people.models import Membership, Role, User

View = TypeVar("View", bound=Callable[..., Any])


class TeamRequest(HttpRequest):
    """A request as it reaches a view: with who asks, in which team (falsy where in none), and whether htmx does."""

    membership: Membership
    user: User
    htmx: HtmxDetails
    # When the time of the request began to count, by a clock that only goes forward.
    deadline_begun: float


class Who(IntEnum):
    """To whom an address is open: each to those after it too."""

    ANYONE = 0
    SIGNED_IN = 1
    MEMBER = 2
    TECHNICIAN = 3
    COORDINATOR = 4

    @property
    def refusal(self) -> str:
        """Say who may."""
        return {
            Who.TECHNICIAN: "A technician or a coordinator of your team can change this.",
            Who.COORDINATOR: "Only a coordinator of your team can change this.",
        }.get(self, "This page is not open to you.")


_RANK = {Role.VOLUNTEER: Who.MEMBER, Role.TECHNICIAN: Who.TECHNICIAN, Role.COORDINATOR: Who.COORDINATOR}


def open_to(who: Who) -> Callable[[View], View]:
    """Open a view's addresses. It is the outermost decorator, so that nothing of the view runs before it is asked."""

    def mark(view: View) -> View:
        view.open_to = who  # type: ignore[attr-defined]
        return view

    return mark


anyone, signed_in, member = open_to(Who.ANYONE), open_to(Who.SIGNED_IN), open_to(Who.MEMBER)
technician, coordinator = open_to(Who.TECHNICIAN), open_to(Who.COORDINATOR)


def reaches(membership: Membership, who: Who) -> bool:
    """Whether a member's role is enough for what is open to `who`."""
    return _RANK[Role(membership.role)] >= who
