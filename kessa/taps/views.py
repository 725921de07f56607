"""The door at which every tap comes in."""

import json
import uuid
from typing import Any

from django.contrib.auth import SESSION_KEY
from django.http import Http404, HttpRequest, JsonResponse
from django.views.decorators.http import require_POST

from kessa.people.access import anyone
from kessa.taps import services
from kessa.taps.incoming import BadTap, read_batch
from kessa.taps.selectors import as_sent, count_for, counted
from kessa.taps.streams import STREAMS

_SIGN_IN = "Sign in again: your taps are kept in this browser until then."


@anyone
@require_POST
def receive(request: HttpRequest, of: str, stream: uuid.UUID) -> JsonResponse:
    """Take a batch of taps; say what was kept, and what others have tapped meanwhile."""
    if of not in STREAMS:
        raise Http404
    try:
        batch = read_batch(json.loads(request.body))
    except (ValueError, KeyError, TypeError, RecursionError, BadTap):
        return JsonResponse({"error": "This is not a batch of taps."}, status=400)
    if not batch.taps and _nothing_new(request, stream, batch.known):
        return JsonResponse({"kept": [], "late": [], "refused": []})
    if not request.membership:  # type: ignore[attr-defined]
        return JsonResponse({"error": _SIGN_IN}, status=401)
    try:
        stored = services.record(request.membership, of, stream, batch.taps, batch.sent_at)  # type: ignore[attr-defined]
    except services.NoSuchStream as missing:
        return JsonResponse({"error": str(missing)}, status=404)
    reply: dict[str, Any] = {"kept": stored.kept, "late": stored.late, "refused": stored.refused}
    if stored.stream.closed:
        reply["page"] = stored.stream.page
    if stored.total != batch.known + stored.added:
        reply["taps"] = as_sent(counted(request.membership.team_id, stream))  # type: ignore[attr-defined]
    return JsonResponse(reply)


def _nothing_new(request: HttpRequest, stream: uuid.UUID, known: int) -> bool:
    """Whether an empty look-around finds nothing: answered by the session and one statement, without a lock."""
    user_id = request.session.get(SESSION_KEY)
    return user_id is not None and known > 0 and count_for(stream, int(user_id)) == known
