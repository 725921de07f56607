"""How much product raises a level, and how much water has to go to lower it: balances of amounts in a mixed system."""

from __future__ import annotations

import math
from typing import NamedTuple

from kessa.core.errors import CannotCompute, finite
from kessa.core.quantities.measured import Takes, above_0, from_0, takes


class Raise(NamedTuple):
    """What to add: of the active substance, of the product, and the product's volume where its density is known."""

    active_g: float
    product_g: float
    product_ml: float | None


_LEVEL, _LITRES = from_0("mg/L"), above_0("L")


@takes(
    volume_l=_LITRES,
    measured=_LEVEL,
    target=_LEVEL,
    active_percent=Takes("%", 0, 100, above=True),
    density_kg_l=above_0("kg/L"),
)
def raise_level(
    volume_l: float, measured: float, target: float, active_percent: float = 100.0, density_kg_l: float | None = None
) -> Raise:
    """Return what raises a system of `volume_l` from `measured` to `target` (mg/L, target not below).

    `active_percent` of the product, above 0 to 100, by weight; raises CannotCompute on what cannot be. What the system
    uses up meanwhile is not in it.

    >>> raise_level(1000, 20, 50, 50)
    Raise(active_g=30.0, product_g=60.0, product_ml=None)
    """
    if target < measured:
        raise CannotCompute("The target lies below what was measured: water has to go instead.", "target")
    active = finite(volume_l * (target - measured) / 1000, "volume_l")
    product = finite(active * 100 / active_percent, "active_percent")
    if density_kg_l is None:
        return Raise(active, product, None)
    return Raise(active, product, finite(product / density_kg_l, "density_kg_l"))


@takes(volume_l=_LITRES, measured=_LEVEL, target=_LEVEL, makeup_level=_LEVEL)
def drain_to(volume_l: float, measured: float, target: float, makeup_level: float = 0.0) -> float:
    """Return how many litres to drain and replace at once so that the mix comes down to `target` (levels in mg/L).

    V·(measured − target)/(measured − makeup_level); raises CannotCompute on what cannot be, and on `makeup_level`
    where it lies above the target.
    """
    if measured <= target:
        return 0.0
    if makeup_level > target:
        raise CannotCompute("The make-up holds more than the target: it cannot bring the system down.", "makeup_level")
    return finite(volume_l * (measured - target) / (measured - makeup_level), "volume_l")


@takes(added_g=above_0("g"), after=_LEVEL, before=_LEVEL)
def volume_by_tracer(added_g: float, after: float, before: float = 0.0) -> float:
    """Return how many litres a system holds, from grams of a salt added and its level (mg/L) before and after mixing.

    added·1000/(after − before); raises CannotCompute on what cannot be, on `after` where it is not above `before`.
    """
    if after <= before:
        raise CannotCompute("The level after has to be above that before.", "after")
    return finite(added_g * 1000 / (after - before), "added_g")


@takes(makeup=from_0(None), bled_l_h=above_0("L/h"), evaporation_l_h=from_0("L/h"))
def settles_at(makeup: float, bled_l_h: float, evaporation_l_h: float = 0.0) -> float:
    """Return at which level a system settles that is bled for ever: makeup·(evaporation + bled)/bled.

    What evaporates, or leaves as steam, carries nothing away, but is made up too. Raises CannotCompute on what cannot
    be.

    >>> settles_at(900, 900, 2000)
    2900.0
    """
    return finite(makeup * (evaporation_l_h + bled_l_h) / bled_l_h, "makeup")


class Bled(NamedTuple):
    """How much is bled and for how long, and at which level a system settles if that goes on for ever."""

    litres: float
    minutes: float
    settles_at: float


@takes(
    volume_l=_LITRES, rate_l_min=above_0("L/min"), measured=from_0(None), target=from_0(None), makeup=from_0(None),
    evaporation_l_h=from_0("L/h"),
)  # fmt: skip
def bleed(
    volume_l: float,
    rate_l_min: float,
    measured: float,
    target: float,
    makeup: float = 0.0,
    evaporation_l_h: float = 0.0,
) -> Bled:
    """Return litres and minutes of bleeding, made up all the while, until a system comes down to `target`.

    What evaporates, or leaves as steam, carries nothing away, but is made up too: the system settles at
    makeup·(evaporation + bled)/bled, both in L/h. A mixed tank washed out towards that: litres =
    volume·ln((measured − settles)/(target − settles)). Levels of one conserved thing in one unit; 0 where nothing is
    above the target. Raises CannotCompute on what cannot be, on `target` where it settles no lower.
    """
    settles = settles_at(makeup, 60 * rate_l_min, evaporation_l_h)
    if target <= settles:
        raise CannotCompute(f"Bled so, it settles at {settles:.4g}: bleeding never gets to the target.", "target")
    if measured <= target:
        return Bled(0.0, 0.0, settles)
    litres = finite(volume_l * math.log((measured - settles) / (target - settles)), "volume_l")
    return Bled(litres, finite(litres / rate_l_min, "rate_l_min"), settles)
