"""Sessions: kept in the database as Django keeps them, and how long each lasts."""

from typing import Any

from django.contrib.sessions.backends.db import SessionStore as Sessions
from django.utils import timezone

from kessa.record.people.access import TeamRequest

# A session on a phone that others use too: it lasts for a visit, and ends soon after that is closed.
SHARED, SHARED_FOR_S, CLOSED_FOR_S = "shared", 24 * 3600, 15 * 60


class SessionStore(Sessions):
    """Sessions by keys of plain letters and digits: a cookie may hold anything."""

    def _validate_session_key(self, key: str) -> bool:
        return super()._validate_session_key(key) and key.isascii() and key.isalnum()  # type: ignore[misc] # the stubs leave it out


def keep_signed_in(session: Any) -> None:
    """Write a session that is used anew once a day: it ends so much later, on a shared phone within a day."""
    today = timezone.now().date().isoformat()
    if session.get(SHARED):
        if session.get_expiry_age() > SHARED_FOR_S:
            session.set_expiry(SHARED_FOR_S)
    elif session.get("used_on") != today:
        session["used_on"] = today


def end_soon(request: TeamRequest) -> None:
    """Let a session on a phone that others use end soon, when what waits there has had time to be sent."""
    if request.session.get(SHARED):
        request.session.set_expiry(CLOSED_FOR_S)
