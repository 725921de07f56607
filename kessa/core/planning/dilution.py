"""Diluting: a sample into a method's range, a standard from its stock."""

from __future__ import annotations

from typing import NamedTuple

from kessa.core.errors import CannotCompute, finite
from kessa.core.quantities.measured import above_0, from_0, takes

FACTORS = (2.0, 5.0, 10.0, 20.0, 25.0, 50.0, 100.0)
_MOST_FACTORS = 1000
_FULL = 0.8  # aim below the range's end: the estimate may be low
_EQUAL = 1e-9


class Dilution(NamedTuple):
    """How far to dilute, how much sample and water (mL), and what the diluted sample is expected to read."""

    factor: float
    take_ml: float
    water_ml: float
    expect: float


class Intermediate(NamedTuple):
    """A first step where the pipette is too coarse: take so much stock (mL), make it up (mL), and its strength."""

    take_ml: float
    make_ml: float
    strength: float


class Standard(NamedTuple):
    """How much stock, or of the intermediate where there is one, and water (mL) make a standard."""

    take_ml: float
    water_ml: float
    intermediate: Intermediate | None


@takes(estimate=from_0(None), low=from_0(None), high=from_0(None), make_ml=above_0("mL"))
def dilute(estimate: float, low: float, high: float, make_ml: float, factors: tuple[float, ...] = FACTORS) -> Dilution:
    """Choose the smallest factor (1 included) that brings an estimate into a range, at most to 80 % of its end.

    `estimate` ≥ 0, `low` and `high` in one unit; `factors` ≥ 1; `make_ml` > 0 is the volume made. Raises CannotCompute
    on `estimate` where none does. C1·V1 = C2·V2.

    >>> dilute(14, 0.2, 3.5, 50).take_ml
    10.0
    """
    for factor in sorted({1.0, *factors}):
        expect = estimate / factor
        if expect <= _FULL * high * (1 + _EQUAL) and expect >= low * (1 - _EQUAL):
            return Dilution(factor, make_ml / factor, make_ml - make_ml / factor, expect)
    raise CannotCompute("None of these dilutions brings the estimate into the range.", "estimate")


@takes(stock=above_0(None), want=above_0(None), make_ml=above_0("mL"), smallest_ml=above_0("mL"))
def make_standard(stock: float, want: float, make_ml: float, smallest_ml: float = 1.0) -> Standard:
    """Work out a standard of strength `want` from a stock (same unit, > 0), by one or two steps.

    `smallest_ml` > 0 is the least volume the pipette measures well: below it the stock is first diluted by the smallest
    power of ten that suffices. Raises CannotCompute on `want` above the stock, and on `smallest_ml` where two steps
    do not suffice. C1·V1 = C2·V2, once or twice.

    >>> make_standard(100, 5, 50).take_ml
    2.5
    """
    if want > stock * (1 + _EQUAL):
        raise CannotCompute("A standard cannot be stronger than its stock.", "want")
    take = finite(want * make_ml / stock, "make_ml")
    if take >= smallest_ml * (1 - _EQUAL):
        return Standard(take, max(make_ml - take, 0.0), None)
    power = 1.0
    while take * power < smallest_ml * (1 - _EQUAL):
        power = finite(power * 10, "smallest_ml")
    if take * power > make_ml * (1 + _EQUAL):
        raise CannotCompute("The pipette is too coarse for so small a volume: make more.", "smallest_ml")
    first = Intermediate(smallest_ml, finite(smallest_ml * power, "smallest_ml"), stock / power)
    return Standard(take * power, max(make_ml - take * power, 0.0), first)
