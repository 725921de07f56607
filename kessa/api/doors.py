"""Who may come in by which key, how often, and what is answered the second time."""

import hashlib
import zoneinfo
from collections.abc import Callable
from functools import wraps
from typing import Any

from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from django.utils.cache import get_conditional_response
from django.utils.http import quote_etag
from ninja import NinjaAPI
from ninja.errors import HttpError
from ninja.security import HttpBearer
from ninja.throttling import AuthRateThrottle

from kessa.api.models import Answered, Key
from kessa.api.selectors import key_of

_LONGEST_ONCE = 80
PER_MINUTE = "600/m"


class ByKey(HttpBearer):
    """Lets in who sends a key that stands and has the scope, as the person whose it is."""

    def __init__(self, scope: str) -> None:
        super().__init__()
        self.scope = scope

    def authenticate(self, request: HttpRequest, token: str) -> Key | None:
        """Return the key, and let the request be its person's; None where it opens nothing."""
        key = key_of(token)
        if key is None:
            return None
        if self.scope not in key.scopes:
            raise HttpError(403, f"This key does not have the scope “{self.scope}”.")
        request.membership = key.membership  # type: ignore[attr-defined]
        request.user = key.membership.user
        timezone.activate(zoneinfo.ZoneInfo(key.membership.team.time_zone))
        return key


class OftenEnough(AuthRateThrottle):
    """So many requests a minute for each key."""

    def get_cache_key(self, request: HttpRequest) -> str | None:
        """Return under which name a key's requests are counted."""
        return f"api-often:{request.auth.pk}" if getattr(request, "auth", None) else None  # type: ignore[attr-defined]


def once(view: Callable[..., Any]) -> Callable[..., Any]:
    """Answer what is sent again with the same Idempotency-Key as it was answered before, and do it once."""

    @wraps(view)
    def answered(request: HttpRequest, *args: Any, **kwargs: Any) -> Any:
        named = request.headers.get("Idempotency-Key", "")
        if not named:
            return view(request, *args, **kwargs)
        if len(named) > _LONGEST_ONCE or not named.isprintable():
            raise HttpError(422, f"An Idempotency-Key has up to {_LONGEST_ONCE} letters.")
        asked = hashlib.sha256(request.get_full_path().encode() + b"\n" + request.body).hexdigest()
        key: Key = request.auth  # type: ignore[attr-defined]
        with transaction.atomic():
            of = {"team_id": key.team_id, "key": key, "once": named}
            Answered.objects.for_team(key.team_id).get_or_create(**of, defaults={"asked": asked})
            row = Answered.objects.for_team(key.team_id).select_for_update().get(key=key, once=named)
            if row.asked != asked:
                raise HttpError(422, "This Idempotency-Key was sent with something else before.")
            if row.status is None:
                done = view(request, *args, **kwargs)
                row.status, row.body = 200, done.model_dump_json()
                row.save(update_fields=["status", "body"])
                return done
        return HttpResponse(row.body, status=row.status, content_type="application/json; charset=utf-8")

    return answered


class Doors(NinjaAPI):
    """Gives every answer to a question an ETag, and answers nothing anew that the asker has."""

    def create_response(self, request: HttpRequest, data: Any, **said: Any) -> HttpResponse:
        """Return an answer; "not modified" where it is what the asker has."""
        answer = super().create_response(request, data, **said)
        if request.method != "GET" or answer.status_code != 200:
            return answer
        answer["ETag"] = quote_etag(hashlib.sha256(answer.content).hexdigest()[:32])
        answer["Cache-Control"] = "private, no-cache"
        return get_conditional_response(request, etag=answer["ETag"], response=answer) or answer
