"""No request occupies a worker for long: after its time no further statement is begun."""

import math
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from contextvars import ContextVar
from typing import Any

from django.conf import settings
from django.contrib.auth.hashers import Argon2PasswordHasher
from django.db import OperationalError, connection
from django.http import HttpRequest, HttpResponse, UnreadablePostError

from kessa.record.people.access import TeamRequest

# How long of the present request's time was spent on what is not held against it.
_not_counted: ContextVar[list[float] | None] = ContextVar("not counted", default=None)


class DeadlineMiddleware:
    """Ends a request that has had its time, as if the database could not be reached: the page tries again."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: TeamRequest) -> HttpResponse:
        """Answer the request within its time. What is streamed after the answer began is not held to it."""
        spent: list[float] = []
        known = _not_counted.set(spent)

        def in_time(execute: Any, *statement: Any) -> Any:
            begun = getattr(request, "deadline_begun", None)
            if begun is not None and time.monotonic() > begun + settings.REQUEST_SECONDS + sum(spent):
                raise OperationalError("This request has had its time.")
            return execute(*statement)

        try:
            with connection.execute_wrapper(in_time):
                return self.get_response(request)
        finally:
            _not_counted.reset(known)

    def process_view(self, request: TeamRequest, *_: Any) -> None:
        """Begin to count when the request is received whole: a slow line is nobody's fault."""
        # Files of forms were read when the form was let in; of what breaks off the view is told when it asks.
        if not (request.content_type or "").startswith("multipart/"):
            with suppress(UnreadablePostError):
                request.body  # noqa: B018 # it is read now
        request.deadline_begun = time.monotonic()


@contextmanager
def not_counted() -> Iterator[None]:
    """Hold the time that something takes against no request: neither while it lasts nor after it."""
    begun, spent = time.monotonic(), _not_counted.get()
    if spent is None:
        yield
        return
    at = len(spent)
    spent.append(math.inf)
    try:
        yield
    finally:
        spent[at] = time.monotonic() - begun


class Unhurried(Argon2PasswordHasher):
    """Hashes passwords and PINs: slow on purpose, and on a busy machine slower than a request may be."""

    def encode(self, password: str, salt: str) -> str:
        """Return the hash of a password."""
        with not_counted():
            return super().encode(password, salt)

    def verify(self, password: str, encoded: str) -> bool:
        """Whether a password is the one of a hash."""
        with not_counted():
            return super().verify(password, encoded)
