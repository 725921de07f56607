"""Answers that are written for many seconds while they are sent: only so many at a time."""

from collections.abc import Iterable, Iterator
from weakref import WeakSet

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
