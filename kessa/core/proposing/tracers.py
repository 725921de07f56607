"""How much a system holds, from a weight of salt that was put in."""

from __future__ import annotations

import math

from kessa.core.errors import CannotCompute
from kessa.core.proposing.plan import GALLON_L, Plan
from kessa.core.proposing.request import Request
from kessa.core.proposing.substances import grams_for, substance
from kessa.core.quantities.units import POUND_KG
from kessa.core.treating.dosing import volume_by_tracer

_GRAMS = {"kg": 1000.0, "g": 1.0, "lb": 1000 * POUND_KG, "oz": 1000 * POUND_KG / 16}
# In which parameter a salt is seen, by the family of what it is counted as; and as what it is usually written.
_SEEN_IN = {
    "chloride": ("chloride", "Cl"), "nitrogen": ("nitrite", "NO2"), "molybdenum": ("molybdate", "MoO4"),
    "sulfur": ("sulfate", "SO4"),
}  # fmt: skip


def volume_seen(plan: Plan, request: Request) -> float | None:
    """Return how much a system holds by the last salt that was put in; None where none was."""
    events = [each for each in request.history if each.done == "tracer"]
    if not events:
        return None
    event = events[-1]
    if event.amount is None or event.unit not in _GRAMS:
        raise CannotCompute("Of a tracer its weight is known: kg, g, lb or oz.", "history")
    parameter, usual = _SEEN_IN.get(substance(event.product).family, ("", ""))
    if event.product.startswith(("NaNO3", "KNO3")):
        parameter, usual = "nitrate", "NO3"
    after = next((each for each in request.findings if each.name == parameter), None)
    tests = [each for each in request.history if parameter in each.levels]
    if after is None or not tests:
        plan.step("ask", parameter=parameter, why="its level before and after is not known")
        return None
    written_as = after.form or tests[-1].form or usual
    before = tests[-1].level(parameter, written_as)
    grams = event.amount * _GRAMS[event.unit] / grams_for(event.product, written_as)
    litres = volume_by_tracer(grams, after.value, before)
    plan.figure("volume-l", litres)
    if request.system.is_customary:
        plan.figure("volume-gal", litres / GALLON_L)
    off = math.hypot(tests[-1].off, after.off or tests[-1].off)
    if off:
        plan.figure("volume-off-percent", 100 * off / (after.value - before))
    return litres
