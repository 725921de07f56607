"""How often a system's water is concentrated by each measure, and what it means where they do not agree."""

from __future__ import annotations

import math
from collections.abc import Collection
from typing import NamedTuple

from kessa.core.proposing.plan import Plan
from kessa.core.proposing.request import CYCLES, Request

# What only concentrates: nothing in a tower makes or uses it.
CONSERVED = (
    CYCLES,
    "conductivity", "tds", "chloride", "silica", "sulfate", "hardness", "calcium hardness", "magnesium hardness",
    "calcium", "magnesium", "sodium", "alkalinity", "total alkalinity", "m alkalinity",
)  # fmt: skip
# Of a boiler the same, without what its treatment throws down, drives off or adds to.
_IN_BOILERS = ("conductivity", "tds", "chloride", "silica", "sulfate")
# What falls out as scale before others do.
_FALLS_OUT = ("calcium hardness", "hardness", "calcium", "silica", "magnesium", "magnesium hardness", "alkalinity")
# What comes with the make-up alone: nobody feeds it.
_NOT_FED = (
    "calcium hardness", "hardness", "calcium", "silica", "magnesium", "magnesium hardness", "conductivity", "tds"
)  # fmt: skip
# Measures of cycles of concentration that differ by more than this part do not say the same.
_ALIKE = 0.12
# What is fed to a boiler raises its conductivity over its chloride, hardly by more than this part.
_BY_TREATMENT = 0.5
_STEADY = ("conductivity", "tds", "magnesium", "silica")


class _Cycles(NamedTuple):
    """How often the make-up is concentrated by one measure, and how far that may be off."""

    times: float
    off: float

    def is_above(self, other: _Cycles, by: float = _ALIKE) -> bool:
        """Whether it says more than another, by more than a part of that and beyond the doubt of both."""
        return self.times - other.times > max(by * other.times, math.hypot(self.off, other.off))


# The make-up itself.
_ONCE = _Cycles(1.0, 0.0)


def compare_in_tower(plan: Plan, request: Request) -> None:
    """Set side by side how often a tower's water is concentrated, and say what their disagreement means."""
    by = _by_each(plan, request, CONSERVED)
    if not by:
        return
    # Chloride is fed by bleach, hardness and silica fall out: of the others the highest is how far it is concentrated.
    reference = next((name for name in _STEADY if name in by), min(by, key=lambda name: by[name].times))
    cycles, chloride = by[reference], by.get("chloride", by[reference])
    plan.figure("cycles", cycles.times)
    if chloride.is_above(cycles) and _is_fed(request, by, reference):
        plan.say("chloride-from-bleach" if _is_chlorinated(request) else "chloride-from-elsewhere")
        plan.figure("chloride-fed-mg-l", (chloride.times - cycles.times) * (request.supplied("chloride") or 0.0))
    else:
        cycles = max(cycles, chloride)
    for name in _FALLS_OUT:
        if name in by and cycles.is_above(by[name]):
            _scale(plan, request, name, cycles.times - by[name].times)
    too_much = any(by[name].is_above(cycles, 2 * _ALIKE) for name in _NOT_FED if name in by)
    if too_much or any(_ONCE.is_above(each) for each in by.values()):
        plan.say("make-up-differs")
    _against_the_balance(plan, request, cycles.times)


def compare_in_boiler(plan: Plan, request: Request) -> None:
    """Set side by side how often a boiler's water is concentrated: chloride tells it, for nothing feeds it there."""
    by = _by_each(plan, request, _IN_BOILERS)
    salts = by.get("conductivity", by.get("tds"))
    cycles = by.get("chloride", salts)
    if cycles is None:
        return
    plan.figure("cycles", cycles.times)
    silica = by.get("silica", cycles)
    if cycles.is_above(silica, 2 * _ALIKE if "chloride" in by else _BY_TREATMENT):
        _scale(plan, request, "silica", cycles.times - silica.times)
    salts = salts or cycles
    too_much = salts.is_above(cycles, _BY_TREATMENT) or silica.is_above(cycles, 2 * _ALIKE)
    if too_much or cycles.is_above(salts, 2 * _ALIKE):
        plan.say("make-up-differs")


def _by_each(plan: Plan, request: Request, names: Collection[str]) -> dict[str, _Cycles]:
    by = {}
    for each in request.findings:
        supplied = request.supplied(each.name)
        if each.name in names and each.name != CYCLES and supplied:
            off = math.hypot(each.off, each.value * request.make_up_off.get(each.name, 0.0) / supplied) / supplied
            by[each.name] = _Cycles(each.value / supplied, off)
            plan.figure(f"by-{each.name.replace(' ', '-')}", each.value / supplied)
    return by


def _is_fed(request: Request, by: dict[str, _Cycles], reference: str) -> bool:
    """Whether chloride comes in beside the make-up: bleach is fed, or another measure agrees with the first."""
    others = (each for name, each in by.items() if name not in ("chloride", reference))
    alike = (not each.is_above(by[reference]) and not by[reference].is_above(each) for each in others)
    return _is_chlorinated(request) or any(alike)


def _is_chlorinated(request: Request) -> bool:
    return request.system.feeds_chlorine or any(each.is_hypochlorite for each in request.products)


def _scale(plan: Plan, request: Request, name: str, missing: float) -> None:
    """Note how much of something is not there that its cycles would leave."""
    plan.say("scale")
    plan.figure(f"fell-out-{name.replace(' ', '-')}-mg-l", missing * (request.supplied(name) or 0.0))


def _against_the_balance(plan: Plan, request: Request, cycles: float) -> None:
    """Hold what is measured against what evaporation and bleed would make."""
    system = request.system
    if not system.evaporation_l_h or not system.bleed_now_l_h:
        return
    now = system.bleed_now_l_h + system.drift_l_h
    expected = (system.evaporation_l_h + now) / now
    plan.figure("cycles-by-balance", expected)
    if cycles < expected * (1 - 2 * _ALIKE):
        lost = system.evaporation_l_h / (cycles - 1) - now if cycles > 1 else 0.0
        plan.say("leak")
        plan.figure("lost-l-h", lost)
        plan.step("look-for-leak", why="more water is lost than evaporates and is bled")
