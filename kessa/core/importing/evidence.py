"""In which of two ways a table is written, by what stands in it."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Generic, TypeVar

Way = TypeVar("Way")


def one_way(
    texts: Iterable[str], ways: tuple[Way, Way], read: Callable[[str, Way], object], usual: Way | None
) -> Way | None:
    """Return the only way in which some of the texts can be read; None where each way is the only one for some.

    `read` returns None for what cannot be read so. Where all texts say the same either way it is `usual`, without that
    the first; where they do not, and nothing decides, it is None.
    """
    only, differs = set(), False
    for text in texts:
        one, other = (read(text, way) for way in ways)
        if (one is None) != (other is None):
            only.add(ways[0] if other is None else ways[1])
        differs = differs or (one is not None and other is not None and one != other)
    if only:
        return only.pop() if len(only) == 1 else None
    return None if differs else usual or ways[0]


class Evidence(Generic[Way]):
    """Whether a table shows by itself that it is written in one way and not in the other, as it is read on and on."""

    def __init__(self, ways: tuple[Way, Way], way: Way, read: Callable[[str, Way], object]) -> None:
        self._way, self._other, self._read = way, ways[way == ways[0]], read
        self._shown = False
        # The first text that says another thing in the other way.
        self._differs = ""

    def note(self, text: str) -> None:
        """Take a text that the table has into account."""
        if self._shown:
            return
        here, there = self._read(text, self._way), self._read(text, self._other)
        self._shown = here is not None and there is None
        if here is not None and here != there:
            self._differs = self._differs or text

    @property
    def unclear(self) -> str:
        """A text that may be read in both ways, where none shows which of them is right; else nothing."""
        return "" if self._shown else self._differs
