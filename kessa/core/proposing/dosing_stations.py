"""Dosing stations: how long a tank lasts, and whether its pump gives what it is set to."""

from __future__ import annotations

from kessa.core.proposing.levels import Out
from kessa.core.proposing.plan import Plan
from kessa.core.proposing.request import Request

LEVEL, FED = "tank level", "fed a day"
# Where nobody has said when a tank is filled up, it lasts so many days then: one order, one visit.
_REFILLED_AT = 7.0
# A pump that gives so much more or less than it is set to is looked at.
_DIFFERS = 0.25


def treat_station(plan: Plan, request: Request, outs: list[Out]) -> None:
    """Propose to fill up a tank that does not last, and to look at a pump that does not give what it is set to."""
    system, level, fed = request.system, request.found(LEVEL), request.found(FED)
    if level is None or fed is None:
        return
    if fed.value > 0:
        days = level.value / fed.value
        plan.figure("lasts-days", days)
        if days <= (system.refill_days or _REFILLED_AT):
            plan.say("runs-out")
            fills = system.tank_l - level.value if system.tank_l and system.tank_l > level.value else None
            plan.step("refill", amount=fills, unit="" if fills is None else "L", parameter=LEVEL)
    if system.pump_l_h and system.stroke_percent:
        is_set = system.pump_l_h * system.stroke_percent / 100 * 24
        if abs(fed.value - is_set) > max(_DIFFERS * is_set, fed.off):
            plan.say("pump-differs")
            plan.figure("set-l-day", is_set)
            plan.figure("fed-l-day", fed.value)
            plan.step("ask", parameter=FED, why="the pump does not give what it is set to")
