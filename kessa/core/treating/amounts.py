"""Amounts of products, water and time, written and read in the units that people pour and weigh in."""

from __future__ import annotations

import math
from typing import Literal, NamedTuple, Protocol

from kessa.core.errors import CannotCompute
from kessa.core.quantities.quantity import plain
from kessa.core.quantities.units import POUND_KG, UNITS, sign

# What amounts are kept in.
Kept = Literal["L", "kg", "min", "L/h", "kg/h"]
_PER_HOUR: dict[Kept, Kept] = {"L": "L/h", "kg": "kg/h"}
METRIC, US, IMPERIAL = "metric", "us", "imperial"
_HOUR = 60.0


class Counted(Protocol):
    """Something with the unit and the form in which its levels are written."""

    @property
    def unit(self) -> str:
        """A unit of units.UNITS or a method's own."""

    @property
    def form(self) -> str | None:
        """A chemical form of species.FORMS, or None."""


def level(counted: Counted, number: float) -> str:
    """Write a level in the unit and form of a finding or a band."""
    form = f" as {counted.form}" if counted.form else ""
    return f"{plain(number)} {sign(counted.unit)}{form}".rstrip()


class Measure(NamedTuple):
    """A unit in which an amount is poured or weighed: what it is kept in, how much of that it is, how it is written."""

    kept: Kept
    size: float
    sign: str


_US_L, _IMPERIAL_L = UNITS["gal_us"].size, UNITS["gal_imp"].size
MEASURES = {
    "L": Measure("L", 1.0, "L"),
    "mL": Measure("L", 0.001, "mL"),
    "gal_us": Measure("L", _US_L, "US gal"),
    "fl_oz_us": Measure("L", _US_L / 128, "US fl oz"),
    "gal_imp": Measure("L", _IMPERIAL_L, "imp. gal"),
    "fl_oz_imp": Measure("L", _IMPERIAL_L / 160, "imp. fl oz"),
    "kg": Measure("kg", 1.0, "kg"),
    "g": Measure("kg", 0.001, "g"),
    "lb": Measure("kg", POUND_KG, "lb"),
    "oz": Measure("kg", POUND_KG / 16, "oz"),
    "min": Measure("min", 1.0, "min"),
    "h": Measure("min", _HOUR, "h"),
}
# The same all the time.
MEASURES |= {
    f"{key}/h": Measure(_PER_HOUR[each.kept], each.size, f"{each.sign}/h")
    for key, each in MEASURES.items() if each.kept in _PER_HOUR
}  # fmt: skip
# The larger and the smaller measure of each way to pour.
_BY_SYSTEM = {
    (METRIC, "L"): ("L", "mL"),
    (US, "L"): ("gal_us", "fl_oz_us"),
    (IMPERIAL, "L"): ("gal_imp", "fl_oz_imp"),
    (METRIC, "kg"): ("kg", "g"),
    (US, "kg"): ("lb", "oz"),
    (IMPERIAL, "kg"): ("lb", "oz"),
}
_BY_SYSTEM |= {
    (system, f"{kept}/h"): (f"{larger}/h", f"{smaller}/h") for (system, kept), (larger, smaller) in _BY_SYSTEM.items()
}


def per_hour(kept: Kept) -> Kept:
    """Return in what an amount of a product is kept that is fed all the time."""
    return _PER_HOUR[kept]


def is_rate(kept: str) -> bool:
    """Whether it runs all the time: no amount that goes in or out once."""
    return kept in _PER_HOUR.values()


def kept_amount(amount: float, measure: str) -> tuple[float, Kept]:
    """Return an amount (0 or more) of one of MEASURES in what it is kept in; raises CannotCompute on either."""
    if measure not in MEASURES:
        raise CannotCompute(f"{measure} is no measure known here.", "unit")
    if not (math.isfinite(amount) and amount >= 0):
        raise CannotCompute("An amount is a number from 0 up.", "amount")
    return amount * MEASURES[measure].size, MEASURES[measure].kept


class LabelMeasure(NamedTuple):
    """In which measure a number of a label is written, and how much of ours one of it is."""

    words: str
    size: float


_OUNCES = {US: ("US gal", "US fl oz", 128, _US_L), IMPERIAL: ("imp. gal", "imp. fl oz", 160, _IMPERIAL_L)}


def label_measure(of: Literal["dose", "density", "step", "stock"], kept: Kept, system: str = METRIC) -> LabelMeasure:
    """Return how a label's number is written in a system: a dose for 1 m³ or 1000 gallons, a density, a step, a stock.

    >>> label_measure("dose", "L", "us"), round(label_measure("dose", "kg", "us").size, 4)
    (LabelMeasure(words='US fl oz for 1000 US gal', size=0.0078125), 0.1198)
    """
    if system == METRIC:
        return LabelMeasure({"dose": f"{kept} for 1 m³", "density": "kg/L", "step": "", "stock": kept}[of], 1.0)
    gallon, ounce, ounces, litres = _OUNCES[system]
    per_gallon = POUND_KG / litres
    if of == "stock":
        return LabelMeasure(gallon if kept == "L" else "lb", litres if kept == "L" else POUND_KG)
    if of == "density":
        return LabelMeasure(f"lb/{gallon}", per_gallon)
    if of == "step":
        # A gallon in a thousand is a litre in a cubic metre.
        return LabelMeasure("", 1.0 if kept == "L" else 1 / per_gallon)
    return LabelMeasure(
        f"{ounce if kept == 'L' else 'lb'} for 1000 {gallon}", 1 / ounces if kept == "L" else per_gallon
    )


def measure_for(amount: float, kept: Kept, system: str = METRIC) -> str:
    """Return in which measure an amount is best written: the smaller one where it would be under one of the larger."""
    if kept == "min":
        return "min"
    larger, smaller = _BY_SYSTEM[system, kept]
    return larger if amount >= MEASURES[larger].size else smaller


def written(amount: float, kept: Kept, system: str = METRIC, *, down: bool = False) -> str:
    """Write an amount with three figures; rounded `down` where it must not be above a label's.

    >>> written(0.8637, "L"), written(1152.9, "L"), written(8.25, "L", "us"), written(96.07, "min")
    ('864 mL', '1150 L', '2.18 US gal', '96 min')
    """
    if kept == "min":
        return f"{round(amount)} min" if amount < 3 * _HOUR else f"{amount / _HOUR:.1f} h"
    measure = MEASURES[measure_for(amount, kept, system)]
    return f"{figures(amount / measure.size, down=down)} {measure.sign}"


def figures(number: float, *, down: bool = False) -> str:
    """Write a number from 0 up with three figures.

    >>> figures(0.9969, down=True), figures(3.0000000001), figures(134.98)
    ('0.996', '3', '135')
    """
    # What is less than anybody can measure is nothing.
    if number < 1e-12:
        return "0"
    power = 10.0 ** (math.floor(math.log10(number)) - 2)
    # A hair more, so that what is 3 in all but its last bit is not written 2.99.
    whole = math.floor(number / power * (1 + 1e-9)) if down else round(number / power)
    return plain(float(f"{whole * power:.6g}"))
