"""Classes of method: what is compared with what, and which number stands where two tests of a sample speak."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from kessa.core.methods.parts import Part
from kessa.core.methods.schema import Method

DERIVED, TAKEN_IN = "derived", "taken-in"
SCREENING, COUNT = "screening", "count"
# The family of what was read on a visit without a test; its class is that of the method as which it is read.
IN_PLACE = "in-place"


class MethodClass(NamedTuple):
    """A class of method: how people call it, and how exact it is; the higher the more."""

    words: str
    rank: int


CLASSES = {
    SCREENING: MethodClass("by strip or card", 1),
    "eye": MethodClass("by eye", 2),
    COUNT: MethodClass("by count", 3),
    "computed": MethodClass("computed", 3),
    "photometer": MethodClass("by photometer", 4),
    "meter": MethodClass("by meter", 4),
    # Imported: how it was measured is not known here.
    TAKEN_IN: MethodClass("imported", 1),
    # From other results: never more exact than one that was measured.
    DERIVED: MethodClass("worked out", 0),
}
_BY_KIND = {
    "count": COUNT,
    "volume": COUNT,
    "direct": COUNT,
    "difference": COUNT,
    "photometer": "photometer",
    "meter": "meter",
}


class Speaking(NamedTuple):
    """A result as it speaks for its sample: a class of method, and both ends of its interval (high None: open)."""

    key: int
    method_class: str
    low: float
    high: float | None


def class_of(method: Method, part: Part) -> str:
    """Return the class of a part of a method.

    >>> from kessa.core.methods import house_methods
    >>> [class_of(m, m.main) for m in map(house_methods().get, ("ph-strip", "chloride-drops-25", "secchi-depth"))]
    ['screening', 'count', 'eye']
    """
    if part.key in {computed.key for computed in method.computes}:
        return "computed"
    return SCREENING if method.screening else _BY_KIND.get(part.kind, "eye")


def stands_for(results: Iterable[Speaking]) -> Speaking:
    """Return the result that stands for a sample: of the most exact class, then of the narrowest interval.

    Raises ValueError where there is none.
    """
    return min(results, key=lambda each: (-CLASSES[each.method_class].rank, _width(each)))


def _width(result: Speaking) -> float:
    return float("inf") if result.high is None else result.high - result.low
