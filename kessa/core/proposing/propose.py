"""What to do with a water system: see Request for what it follows from, Plan for what is answered."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from itertools import combinations
from typing import Any

from kessa.core.checked import check
from kessa.core.errors import CannotCompute
from kessa.core.proposing.bacteria import treat_bacteria
from kessa.core.proposing.boilers import carry_over, crystals, treat_boiler
from kessa.core.proposing.cycles import CONSERVED, compare_in_boiler, compare_in_tower
from kessa.core.proposing.doses import allowed, dose, hold_scale
from kessa.core.proposing.dosing_stations import treat_station
from kessa.core.proposing.drinking import treat_supply, treat_well
from kessa.core.proposing.filters import treat_filter
from kessa.core.proposing.levels import Out, in_terms_of, outside
from kessa.core.proposing.loops import treat_loop
from kessa.core.proposing.plan import Plan
from kessa.core.proposing.refusals import CLOSED
from kessa.core.proposing.request import CYCLES, SCALING, Request
from kessa.core.proposing.softeners import treat_softener
from kessa.core.proposing.towers import concentrate
from kessa.core.proposing.tracers import volume_seen

_GERMS_OF_PLANT = ("bacteria", "legionella")
# Of each pair the first is part of the second.
_PARTS = (
    ("p alkalinity", "m alkalinity"),
    ("p alkalinity", "alkalinity"),
    ("free chlorine", "total chlorine"),
    ("calcium hardness", "hardness"),
    ("magnesium hardness", "hardness"),
)
# So much more than the whole a part may be found, by how sure tests are.
_SURE = 1.1


def propose(given: Mapping[str, Any]) -> Plan:
    """Return what to do with a water system, in the order in which it is done, what must be said, and figures.

    `given` has system, make_up, findings, bands, products and history as Request describes them. What cannot be is
    asked about or refused: as a step, or by CannotCompute on the field at fault.
    """
    request = check(Request, given, "propose").usual()
    plan = Plan(request.system.is_customary, not_used=_not_used(request))
    if request.system.kind not in TREATED:
        raise CannotCompute(f"kind must be one of: {', '.join(TREATED)}.", "kind")
    volume_l = volume_seen(plan, request) or request.system.volume_l
    system = request.system
    request = request.holding(volume_l).knowing("glycol", system.glycol_percent, "%")
    request = request.knowing(CYCLES, system.cycles_now, "cycles")
    return plan_for(request, outside(request), plan)


def plan_for(request: Request, outs: list[Out], plan: Plan | None = None) -> Plan:
    """Return what to do about the findings that lie outside; a plan that was begun goes on."""
    plan = plan or Plan()
    if not _contradicts(plan, request):
        _BY_KIND[request.system.kind](plan, request, outs)
    return plan


def _not_used(request: Request) -> list[str]:
    parts = (request, request.system, *request.findings, *request.bands, *request.products, *request.history)
    return sorted({name for part in parts for name in part.not_used})


def _contradicts(plan: Plan, request: Request) -> bool:
    """Whether findings cannot all be: then nothing is proposed but to test again."""
    twice = {
        one.name
        for one, other in combinations(request.findings, 2)
        if one.name == other.name and (one.value, one.unit, one.form) != (other.value, other.unit, other.form)
    }
    for name in sorted(twice):
        plan.step("ask", parameter=name, why="it is given twice, and not alike")
    for part, whole in _PARTS:
        one, other = request.found(part), request.found(whole)
        if one and other and in_terms_of(one.value, one, other) > _SURE * other.value + other.off:
            plan.step("ask", parameter=part, why=f"it cannot be more than {whole}: test both again")
    return bool(plan.steps)


def _treat_tower(plan: Plan, request: Request, outs: list[Out]) -> None:
    compare_in_tower(plan, request)
    treat_bacteria(plan, request, outs)
    for out in sorted(outs, key=lambda each: (each.name not in CONSERVED, each.side == "low")):
        if out.name in _GERMS_OF_PLANT:
            continue
        if out.name in CONSERVED:
            _refuse_cleaners(plan, request, out)
            concentrate(plan, request, out)
        elif out.name == SCALING:
            hold_scale(plan, request, out)
        elif out.side == "low":
            dose(plan, request, out)
        else:
            plan.say("stop-feed")
            plan.step("ask", parameter=out.name)


def _refuse_cleaners(plan: Plan, request: Request, out: Out) -> None:
    """Say of what cleans scale away whether it may go in, where hardness or silica is too high."""
    if out.side == "high" and ("hardness" in out.name or out.name in ("calcium", "silica")):
        allowed(plan, request, [each for each in request.products if each.cleans], parameter=out.name)


def _treat_loop(plan: Plan, request: Request, outs: list[Out]) -> None:
    treat_bacteria(plan, request, outs)
    treat_loop(plan, request, [each for each in outs if each.name not in _GERMS_OF_PLANT])


def _treat_boiler(plan: Plan, request: Request, outs: list[Out]) -> None:
    crystals(plan, request)
    compare_in_boiler(plan, request)
    carry_over(plan, request)
    treat_boiler(plan, request, outs)


_BY_KIND: dict[str, Callable[[Plan, Request, list[Out]], None]] = {
    "cooling-tower": _treat_tower,
    "boiler": _treat_boiler,
    "softener": treat_softener,
    "filter": treat_filter,
    "dosing-station": treat_station,
    "well": treat_well,
    "supply": treat_supply,
    **dict.fromkeys(CLOSED, _treat_loop),
}
# The kinds of system about which something is proposed.
TREATED = tuple(_BY_KIND)
