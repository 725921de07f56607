"""How much product raises a level, and how much water has to go to lower it: balances of amounts in a mixed system."""

from __future__ import annotations

import math
from typing import NamedTuple

from kessa.core.errors import CannotCompute, finite


class Raise(NamedTuple):
    """What to add: of the active substance, of the product, and the product's volume where its density is known."""

    active_g: float
    product_g: float
    product_ml: float | None


def _all_above_0(**given: float) -> None:
    for name, value in given.items():
        if value <= 0:
            raise CannotCompute(f"{name} must be above 0.", name)


def _none_below_0(**given: float) -> None:
    for name, value in given.items():
        if value < 0:
            raise CannotCompute(f"{name} cannot be below 0.", name)


def raise_level(
    volume_l: float, measured: float, target: float, active_percent: float = 100.0, density_kg_l: float | None = None
) -> Raise:
    """Return what raises a system of `volume_l` from `measured` to `target` (mg/L, target not below).

    `active_percent` of the product, above 0 to 100, by weight; raises CannotCompute on what cannot be. What the system
    uses up meanwhile is not in it.

    >>> raise_level(1000, 20, 50, 50)
    Raise(active_g=30.0, product_g=60.0, product_ml=None)
    """
    _all_above_0(volume_l=volume_l, active_percent=active_percent)
    _none_below_0(measured=measured, target=target)
    if active_percent > 100:
        raise CannotCompute("active_percent cannot be above 100.", "active_percent")
    if target < measured:
        raise CannotCompute("The target lies below what was measured: water has to go instead.", "target")
    active = finite(volume_l * (target - measured) / 1000, "volume_l")
    product = finite(active * 100 / active_percent, "active_percent")
    if density_kg_l is None:
        return Raise(active, product, None)
    _all_above_0(density_kg_l=density_kg_l)
    return Raise(active, product, finite(product / density_kg_l, "density_kg_l"))


def drain_to(volume_l: float, measured: float, target: float, makeup_level: float = 0.0) -> float:
    """Return how many litres to drain and replace at once so that the mix comes down to `target` (levels in mg/L).

    V·(measured − target)/(measured − makeup_level); raises CannotCompute on what cannot be, and on `makeup_level`
    where it lies above the target.
    """
    _all_above_0(volume_l=volume_l)
    _none_below_0(measured=measured, target=target, makeup_level=makeup_level)
    if measured <= target:
        return 0.0
    if makeup_level > target:
        raise CannotCompute("The make-up holds more than the target: it cannot bring the system down.", "makeup_level")
    return finite(volume_l * (measured - target) / (measured - makeup_level), "volume_l")


def volume_by_tracer(added_g: float, after: float, before: float = 0.0) -> float:
    """Return how many litres a system holds, from grams of a salt added and its level (mg/L) before and after mixing.

    added·1000/(after − before); raises CannotCompute on what cannot be, on `after` where it is not above `before`.
    """
    _all_above_0(added_g=added_g)
    _none_below_0(before=before, after=after)
    if after <= before:
        raise CannotCompute("The level after has to be above that before.", "after")
    return finite(added_g * 1000 / (after - before), "added_g")


def bleed(
    volume_l: float, rate_l_min: float, measured: float, target: float, makeup: float = 0.0
) -> tuple[float, float]:
    """Return litres and minutes of bleeding, made up all the while, until a system comes down to `target`.

    litres = volume·ln((measured − makeup)/(target − makeup)): a mixed tank washed out. Levels of one conserved thing in
    one unit; 0 where nothing is above the target. Raises CannotCompute on what cannot be, on `target` where the make-up
    holds as much.
    """
    _all_above_0(volume_l=volume_l, rate_l_min=rate_l_min)
    _none_below_0(measured=measured, target=target, makeup=makeup)
    if target <= makeup:
        raise CannotCompute("The make-up holds as much as the target: bleeding never gets there.", "target")
    if measured <= target:
        return 0.0, 0.0
    litres = finite(volume_l * math.log((measured - makeup) / (target - makeup)), "volume_l")
    return litres, finite(litres / rate_l_min, "rate_l_min")
