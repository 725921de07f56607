"""Answers that are written for many seconds while they are sent: only so many at a time."""

from collections.abc import Iterable, Iterator
from weakref import WeakSet

from django.http import HttpResponse, StreamingHttpResponse

from kessa.pages.base.views import one_moment
from kessa.record.people.access import TeamRequest

# Each keeps a thread of the server: others are left for the pages and the taps.
_AT_A_TIME = 2
_being_written: WeakSet["LongAnswer"] = WeakSet()


def may_begin() -> bool:
    """Return whether this process has a thread to spare for one more."""
    return len(_being_written) < _AT_A_TIME


class LongAnswer:
    """Text that is being written, from when it is made until it is closed."""

    def __init__(self, pieces: Iterable[str]) -> None:
        self._pieces = iter(pieces)
        _being_written.add(self)

    def __iter__(self) -> Iterator[str]:
        return self._pieces

    def close(self) -> None:
        """Make room for the next."""
        _being_written.discard(self)


def table_answer(request: TeamRequest, lines: Iterable[str], name: str) -> HttpResponse | StreamingHttpResponse:
    """Answer with a table as CSV; the page asks again where there is no thread to spare."""
    if not may_begin():
        return one_moment(request, 503, "Other files are being written just now. This one comes by itself.")
    answer = StreamingHttpResponse(LongAnswer(lines), content_type="text/csv; charset=utf-8")
    answer["Content-Disposition"] = f'attachment; filename="{name}.csv"'
    return answer
