"""Who may come in by which key, how often, and what is answered the second time."""

import hashlib
import json
import zoneinfo
from collections.abc import Callable
from functools import wraps
from typing import Any

from django.core.exceptions import ValidationError
from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from django.utils.cache import get_conditional_response
from django.utils.http import quote_etag
from ninja import NinjaAPI
from ninja.errors import HttpError
from ninja.security import HttpBearer
from ninja.throttling import BaseThrottle

from kessa.record.api_keys.models import Answered, Key
from kessa.record.api_keys.selectors import key_of
from kessa.record.api_keys.services import count
from kessa.record.people import acts
from kessa.record.people.access import TeamRequest
from kessa.record.people.acts import NotAllowed
from kessa.record.taps.incoming import BadTap
from kessa.record.taps.services import NoSuchStream

_LONGEST_ONCE = 80
PER_MINUTE = 600


class KeyRequest(TeamRequest):
    """A request that came with a key."""

    auth: Key


class ByKey(HttpBearer):
    """Lets in who sends a key that stands and has the scope, as the person whose it is."""

    def __init__(self, scope: str) -> None:
        super().__init__()
        self.scope = scope

    def authenticate(self, request: Any, token: str) -> Key | None:
        """Return the key, and let the request be its person's; None where it opens nothing."""
        key = key_of(token)
        if key is None:
            return None
        if self.scope not in key.scopes:
            raise HttpError(403, f"This key does not have the scope “{self.scope}”.")
        request.membership = key.membership
        request.user = key.membership.user
        timezone.activate(zoneinfo.ZoneInfo(key.membership.team.time_zone))
        return key


class OftenEnough(BaseThrottle):
    """So many requests a minute for each key."""

    def allow_request(self, request: HttpRequest) -> bool:
        """Count a request by its key; whether it may be answered."""
        key = getattr(request, "auth", None)
        return key is None or count(key, PER_MINUTE)

    def wait(self) -> float:
        """Return for how many seconds nothing is answered."""
        return 60.0 - timezone.now().second


def once(view: Callable[..., Any]) -> Callable[..., Any]:
    """Do what is sent whole or not at all, and once: sent again it is answered as it was before.

    It is known by its Idempotency-Key and by the id of what it makes. What is refused leaves nothing but its act.
    """

    @wraps(view)
    def answered(request: KeyRequest, **arguments: Any) -> Any:
        key: Key = request.auth
        try:
            with transaction.atomic():
                rows = [*_named(request, key), *_made(request, key, arguments.get("body"))]
                before = next((row for row in rows if row.status), None)
                done = None if before else view(request, **arguments)
                body = before.body if before else done.model_dump_json()  # type: ignore[union-attr] # one of both
                for row in (row for row in rows if not row.status):
                    row.status, row.body = 200, body
                    row.save(update_fields=["status", "body"])
        except (BadTap, NotAllowed, NoSuchStream, ValidationError) as fault:
            why = " ".join(fault.messages) if isinstance(fault, ValidationError) else str(fault)
            acts.refused(key.membership, view.__name__.replace("_", " "), why=f"by key “{key.name}”: {why}")
            raise
        return done or HttpResponse(body, content_type="application/json; charset=utf-8")

    return answered


def _named(request: TeamRequest, key: Key) -> list[Answered]:
    """Return the row of an Idempotency-Key, where one was sent; raises HttpError where it named something else."""
    named = request.headers.get("Idempotency-Key", "")
    if len(named) > _LONGEST_ONCE or not named.isprintable():
        raise HttpError(422, f"An Idempotency-Key has up to {_LONGEST_ONCE} letters.")
    if not named:
        return []
    asked = _digest(request, request.body)
    row = _row(key, named, asked)
    if row.asked != asked:
        raise HttpError(422, "This Idempotency-Key was sent with something else before.")
    return [row]


def _made(request: TeamRequest, key: Key, data: Any) -> list[Answered]:
    """Return the row of what makes something by an id; raises HttpError where the team's id made something else."""
    sent = [each for each in (data if isinstance(data, list) else [data]) if hasattr(each, "id")]
    if not sent:
        return []
    content = json.dumps([each.model_dump(mode="json") for each in sent], sort_keys=True).encode()
    once = f"id {sent[0].id}" if len(sent) == 1 else f"ids {hashlib.sha256(content).hexdigest()}"
    asked = _digest(request, content)
    row = Answered.objects.for_team(key.team_id).filter(once=once).first() or _row(key, once, asked)
    if row.asked != asked:
        raise HttpError(409, "This id was sent with something else before: make another for what is new.")
    return [row]


def _digest(request: TeamRequest, body: bytes) -> str:
    return hashlib.sha256(request.get_full_path().encode() + b"\n" + body).hexdigest()


def _row(key: Key, once: str, asked: str) -> Answered:
    """Return the locked row of what is done once, new where there was none."""
    rows = Answered.objects.for_team(key.team_id)
    rows.get_or_create(team_id=key.team_id, key=key, once=once, defaults={"asked": asked})
    found: Answered = rows.select_for_update().get(key=key, once=once)
    return found


class Doors(NinjaAPI):
    """Gives every answer to a question an ETag, and answers nothing anew that the asker has."""

    def create_response(self, request: HttpRequest, data: Any, **arguments: Any) -> HttpResponse:
        """Return an answer; "not modified" where it is what the asker has."""
        answer = super().create_response(request, data, **arguments)
        if request.method != "GET" or answer.status_code != 200:
            return answer
        answer["ETag"] = quote_etag(hashlib.sha256(answer.content).hexdigest()[:32])
        answer["Cache-Control"] = "private, no-cache"
        return get_conditional_response(request, etag=answer["ETag"], response=answer) or answer
