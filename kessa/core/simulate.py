"""Made-up readings for practice and for showing Kessa: what a person would count in water of known strength."""

from __future__ import annotations

import math
from random import Random

from kessa.core.methods.schema import Method


def drops_to_end(method: Method, strength: float, chance: Random) -> tuple[int, int | None]:
    """Return (count, first change or None) that a careful person would find in water of `strength` (method's unit).

    Drops of one bottle differ by about 2 %; now and then the colour begins to turn a drop before it stays. The count is
    not held to the range's maximum.
    """
    size = chance.gauss(1.0, 0.02)
    count = max(1, math.ceil(strength / (method.numbers.per * max(size, 0.5)) + method.numbers.background))
    turned_before = count > 2 and chance.random() < 0.25
    return count, count - 1 if turned_before else None
