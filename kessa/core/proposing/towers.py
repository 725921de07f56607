"""Cooling towers: what evaporates leaves its salts behind, and the bleed takes them away."""

from __future__ import annotations

from kessa.core.proposing.bleeding import by_the_valve, drain_part, never_by_make_up
from kessa.core.proposing.levels import Out
from kessa.core.proposing.plan import GALLON_L, Plan
from kessa.core.proposing.request import CYCLES, Request
from kessa.core.quantities.quantity import plain
from kessa.core.treating.amounts import figures
from kessa.core.treating.dosing import drain_to

# What only concentrates: nothing in a tower makes or uses it.
CONSERVED = (
    CYCLES,
    "conductivity", "tds", "chloride", "silica", "sulfate", "hardness", "calcium hardness", "magnesium hardness",
    "calcium", "magnesium", "sodium", "alkalinity", "total alkalinity", "m alkalinity",
)  # fmt: skip
# What falls out as scale before others do.
_FALLS_OUT = ("calcium hardness", "hardness", "calcium", "silica", "magnesium", "magnesium hardness", "alkalinity")
# Measures of cycles of concentration that differ by more than this part do not say the same.
_ALIKE = 0.12
_STEADY = ("conductivity", "tds", "magnesium", "silica")


def concentrate(plan: Plan, request: Request, out: Out) -> None:
    """Propose what brings a conserved level back into its band."""
    make_up = request.supplied(out.name)
    if make_up is None:
        plan.step("ask", parameter=out.name, why="nobody knows what the make-up water holds")
    elif out.side == "low":
        _bleed_less(plan, request, out, make_up)
    elif make_up >= out.edge:
        never_by_make_up(plan, out)
    else:
        _bleed_more(plan, request, out, make_up)


def _bleed_more(plan: Plan, request: Request, out: Out, make_up: float) -> None:
    system = request.system
    evaporated = system.evaporation_l_h or 0.0
    if system.evaporation_l_h is None:
        plan.say("evaporation-unknown")
    hold = _hold(out.aim, make_up, evaporated, system.drift_l_h)
    if hold is not None:
        plan.figure("hold-bleed-l-h", hold)
        if system.is_customary:
            plan.figure("hold-gpm", hold / 60 / GALLON_L)
    working = "" if not hold else (
        f"to hold it there: {plain(evaporated)} L/h evaporated / ({plain(out.aim / make_up)} cycles − 1) "
        f"= {figures(hold)} L/h bled"
    )  # fmt: skip
    if system.volume_l is not None and make_up < out.aim:
        plan.figure("one-off-drain-l", drain_to(system.volume_l, out.value, out.aim, make_up))
    if system.bleed_l_min is not None:
        by_the_valve(plan, request, out, make_up, evaporated, hold, working)
    elif hold:
        plan.step("bleed", amount=hold, unit="L/h", parameter=out.name, aim=out.aim, working=(working,))
    elif "one-off-drain-l" in plan.figures:
        drain_part(plan, request, out, make_up)
    else:
        plan.step("ask", parameter=out.name, why="neither the valve nor what evaporates is known")


def _hold(level: float, make_up: float, evaporated: float, drift: float) -> float | None:
    """Return how much bleed holds a level, L/h: evaporation over cycles less one, less what drifts away by itself."""
    if level <= make_up or make_up <= 0:
        return None
    return max(evaporated / (level / make_up - 1) - drift, 0.0)


def _bleed_less(plan: Plan, request: Request, out: Out, make_up: float) -> None:
    system = request.system
    plan.say("bleed-less")
    hold = _hold(out.aim, make_up, system.evaporation_l_h or 0.0, system.drift_l_h)
    now = (system.bleed_now_l_h or 0.0) + system.drift_l_h
    if system.evaporation_l_h and now:
        plan.figure("cycles-now", (system.evaporation_l_h + now) / now)
    if not hold:
        plan.step("ask", parameter=out.name, why="how much evaporates is not known")
        return
    plan.figure("hold-bleed-l-h", hold)
    plan.step("bleed", amount=hold, unit="L/h", parameter=out.name, aim=out.aim)


def compare_cycles(plan: Plan, request: Request) -> None:
    """Set side by side how often the water is concentrated by each measure, and say what their disagreement means."""
    by = {
        each.name: each.value / make_up
        for each in request.findings
        if each.name in CONSERVED and each.name != CYCLES and (make_up := request.supplied(each.name))
    }
    for name, cycles in by.items():
        plan.figure(f"by-{name.replace(' ', '-')}", cycles)
    if not by:
        return
    # Chloride is fed by bleach, hardness and silica fall out: of the others the highest is how far it is concentrated.
    cycles = by[next((name for name in _STEADY if name in by), min(by, key=lambda name: by[name]))]
    plan.figure("cycles", cycles)
    if by.get("chloride", 0.0) > cycles * (1 + _ALIKE) and _is_chlorinated(request):
        plan.say("chloride-from-bleach")
        plan.figure("chloride-fed-mg-l", (by["chloride"] - cycles) * (request.supplied("chloride") or 0.0))
    elif "chloride" in by:
        cycles = max(cycles, by["chloride"])
    for name in _FALLS_OUT:
        if name in by and by[name] < cycles * (1 - _ALIKE):
            plan.say("scale")
            plan.figure(
                f"fell-out-{name.replace(' ', '-')}-mg-l", (cycles - by[name]) * (request.supplied(name) or 0.0)
            )
    _against_the_balance(plan, request, cycles)


def _is_chlorinated(request: Request) -> bool:
    return request.system.feeds_chlorine or any(each.is_hypochlorite for each in request.products)


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
