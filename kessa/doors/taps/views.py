"""The door at which every tap comes in."""

import json
import uuid
from typing import Any

from django.contrib.auth import SESSION_KEY
from django.http import Http404, JsonResponse, RawPostDataException
from django.views.decorators.http import require_POST

from kessa.record.people.access import TeamRequest, anyone, member
from kessa.record.people.sessions import end_soon
from kessa.record.taps import services
from kessa.record.taps.incoming import read_batch, read_dropped
from kessa.record.taps.selectors import as_sent, count_for, counted
from kessa.record.taps.streams import STREAMS

# What reading says of a body that is none: BadTap is a ValueError too.
_NO_BATCH = (ValueError, KeyError, TypeError, RecursionError, RawPostDataException)
_SIGN_IN = "Sign in again: your taps are kept in this browser until then."


@anyone
@require_POST
def receive(request: TeamRequest, of: str, stream: uuid.UUID) -> JsonResponse:
    """Take a batch of taps; say what was kept, and what others have tapped meanwhile."""
    if of not in STREAMS:
        raise Http404
    try:
        batch = read_batch(json.loads(request.body))
    except _NO_BATCH:
        return JsonResponse({"error": "This is not a batch of taps."}, status=400)
    if not batch.taps and _nothing_new(request, stream, batch.known):
        return JsonResponse({"kept": [], "late": [], "refused": [], "waits": []})
    if not request.membership:
        return JsonResponse({"error": _SIGN_IN}, status=401)
    try:
        stored = services.record(request.membership, of, stream, batch.taps, batch.sent_at)
    except services.NoSuchStream as missing:
        return JsonResponse({"error": str(missing), "refused": missing.refused}, status=404)
    reply: dict[str, Any] = {name: getattr(stored, name) for name in ("kept", "late", "refused", "waits")}
    if stored.stream.closed:
        if of == "visit":
            end_soon(request)
        reply["page"] = stored.stream.page
    if stored.total != batch.known + stored.added:
        reply["taps"] = as_sent(counted(request.membership.team_id, stream))
    return JsonResponse(reply)


@member
@require_POST
def dropped(request: TeamRequest) -> JsonResponse:
    """Note that somebody dropped what was refused or is not theirs, or corrected it."""
    try:
        given = read_dropped(json.loads(request.body))
        if given.of not in STREAMS:
            raise ValueError
    except _NO_BATCH:
        return JsonResponse({"error": "Say which taps, and why."}, status=400)
    services.end_refused(request.membership, given)
    return JsonResponse({})


def _nothing_new(request: TeamRequest, stream: uuid.UUID, known: int) -> bool:
    """Whether an empty look-around finds nothing: answered by the session and one statement, without a lock."""
    user_id = request.session.get(SESSION_KEY)
    return user_id is not None and known > 0 and count_for(stream, int(user_id)) == known
