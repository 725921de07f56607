"""What alkalinity is made of, from the phenolphthalein and the total end points."""

from __future__ import annotations

from typing import NamedTuple

from kessa.core.errors import CannotCompute
from kessa.core.quantities.measured import from_0, takes


class Alkalinity(NamedTuple):
    """Its parts, mg/L as CaCO3."""

    hydroxide: float
    carbonate: float
    bicarbonate: float


@takes(p=from_0("mg/L", "CaCO3"), total=from_0("mg/L", "CaCO3"))
def parts_of_alkalinity(p: float, total: float) -> Alkalinity:
    """Return the parts of alkalinity from `p` (to pH 8.3) and `total` (to pH 4.5), mg/L as CaCO3, 0 ≤ p ≤ total.

    Raises CannotCompute on a negative number, and on `p` where it is above `total`. The five classical cases
    (Standard Methods 2320 B, table I); they take hydroxide and bicarbonate not to stand side by side, and nothing
    else to be titrated.

    >>> parts_of_alkalinity(60, 100)
    Alkalinity(hydroxide=20.0, carbonate=80.0, bicarbonate=0)
    """
    if p > total:
        raise CannotCompute("P alkalinity lies between 0 and the total alkalinity.", "p")
    if 2 * p <= total:
        return Alkalinity(0, 2 * p, total - 2 * p)
    return Alkalinity(2 * p - total, 2 * (total - p), 0)
