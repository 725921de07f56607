"""No request occupies a worker for long: after its time no further statement is begun."""

import time
from collections.abc import Callable
from typing import Any

from django.conf import settings
from django.db import OperationalError, connection
from django.http import HttpRequest, HttpResponse


class DeadlineMiddleware:
    """Ends a request that has had its time, as if the database could not be reached: the page tries again."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer the request within its time. What is streamed after the answer began is not held to it."""
        ends = time.monotonic() + settings.REQUEST_SECONDS

        def in_time(execute: Any, *statement: Any) -> Any:
            if time.monotonic() > ends:
                raise OperationalError("This request has had its time.")
            return execute(*statement)

        with connection.execute_wrapper(in_time):
            return self.get_response(request)
