"""What follows from several acts follows once, after the last of them, where they are done together."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from functools import wraps
from typing import Any, TypeVar

Row = TypeVar("Row", bound=Any)

_waiting: ContextVar[dict[tuple[Any, Any], Any] | None] = ContextVar("waiting", default=None)


@contextmanager
def together() -> Iterator[None]:
    """Let what follows from the acts within wait for their end; where they fail, nothing follows."""
    if _waiting.get() is not None:
        yield
        return
    waiting: dict[tuple[Any, Any], Any] = {}
    token = _waiting.set(waiting)
    try:
        yield
    finally:
        _waiting.reset(token)
    for (follows, _), row in waiting.items():
        follows(row)


def follows_once(follows: Callable[[Row], None]) -> Callable[[Row], None]:
    """Have what follows for a row wait while acts are done together, and follow once for each row, latest last."""

    @wraps(follows)
    def called(row: Row) -> None:
        waiting = _waiting.get()
        if waiting is None:
            follows(row)
            return
        waiting.pop((follows, row.pk), None)
        waiting[follows, row.pk] = row

    return called
