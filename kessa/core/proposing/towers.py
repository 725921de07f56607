"""Cooling towers: what evaporates leaves its salts behind, and the bleed takes them away."""

from __future__ import annotations

from kessa.core.proposing.bleeding import by_the_valve, drain_part, never_by_make_up
from kessa.core.proposing.levels import Out
from kessa.core.proposing.plan import GALLON_L, Plan
from kessa.core.proposing.request import Request
from kessa.core.quantities.quantity import plain
from kessa.core.treating.amounts import figures
from kessa.core.treating.dosing import drain_to


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
    hold = None
    if system.evaporation_l_h is None:
        plan.say("evaporation-unknown")
    else:
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
        drifts = "more drifts away by itself than would hold it there: look at the drift eliminators"
        why = drifts if system.evaporation_l_h else "how much evaporates is not known"
        plan.step("ask", parameter=out.name, why=why)
        return
    plan.figure("hold-bleed-l-h", hold)
    plan.step("bleed", amount=hold, unit="L/h", parameter=out.name, aim=out.aim)
