"""In which of two ways a column is written, by what stands in it."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import TypeVar

Way = TypeVar("Way")


def one_way(
    texts: Iterable[str], ways: tuple[Way, Way], read: Callable[[str, Way], object], usual: Way | None
) -> Way | None:
    """Return the only way in which some of the texts can be read; None where each way is the only one for some.

    `read` returns None for what cannot be read so. Where nothing decides it is `usual`; without that the first, if all
    texts say the same either way, else None.
    """
    only, differs = set(), False
    for text in texts:
        one, other = (read(text, way) for way in ways)
        if (one is None) != (other is None):
            only.add(ways[0] if other is None else ways[1])
        differs = differs or (one is not None and other is not None and one != other)
    if only:
        return only.pop() if len(only) == 1 else None
    return usual or (None if differs else ways[0])
