"""Finding where something comes from along a stream: which place to test next, halving what is left."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple


class Spot(NamedTuple):
    """A place along the water, from the source: its turn, name, and whether what is looked for was found there.

    `bad` is None where nobody tested since it was noticed.
    """

    order: float
    name: str
    bad: bool | None
    key: Any = None


class Trace(NamedTuple):
    """Where to go next, None where all was tested; between which places the source lies (None: above, below all)."""

    next: Spot | None
    below: Spot | None
    above: Spot | None

    @property
    def words(self) -> str:
        """Say what is known and what to do."""
        between = f"above {self.above.name}" if self.above else "nowhere along these places"
        if self.below and self.above:
            between = f"between {self.below.name} and {self.above.name}"
        if self.next:
            return f"It comes in {between}. Test {self.next.name} next: that halves what is left."
        return (
            f"It comes in {between}: walk the bank there and look for what runs in. Photograph it, and touch nothing."
        )


def trace(spots: Sequence[Spot]) -> Trace:
    """Return where to test next, from places along one water in any order.

    Of those between the last good place and the first bad one, the middle one that is not tested.

    >>> trace([Spot(1, "spring", None), Spot(2, "ford", None), Spot(3, "mill", None), Spot(4, "weir", True)]).next.name
    'ford'
    """
    in_order = sorted(spots, key=lambda spot: spot.order)
    first_bad = next((n for n, spot in enumerate(in_order) if spot.bad), None)
    if first_bad is None:
        return Trace(None, None, None)
    last_good = next((n for n in range(first_bad - 1, -1, -1) if in_order[n].bad is False), -1)
    open_ones = in_order[last_good + 1 : first_bad]
    middle = open_ones[len(open_ones) // 2] if open_ones else None
    return Trace(middle, in_order[last_good] if last_good >= 0 else None, in_order[first_bad])
