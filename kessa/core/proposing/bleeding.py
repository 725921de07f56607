"""Bleeding a system whose water leaves as vapour: by how much, what its valve can do, and what holds the level."""

from __future__ import annotations

from kessa.core.proposing.levels import Out
from kessa.core.proposing.plan import NO_VOLUME, Plan
from kessa.core.proposing.request import CYCLES, Request
from kessa.core.quantities.quantity import plain
from kessa.core.treating.amounts import figures, level, written
from kessa.core.treating.dosing import bleed, drain_to, settles_at


def by_the_valve(
    plan: Plan, request: Request, out: Out, make_up: float, evaporated: float, hold: float | None, working: str
) -> None:
    """Propose how much is bled through the valve; what leaves as vapour (L/h) meanwhile is made up, too.

    `hold` is what is bled all the time (L/h) once it is there, None where that is not known; `working` says how.
    """
    system = request.system
    assert system.bleed_l_min is not None
    rate = system.bleed_l_min + system.drift_l_h / 60
    settles = settles_at(make_up, 60 * rate, evaporated)
    plan.figure("settles-at", settles)
    if settles >= out.edge * 0.999:
        plan.say("valve-too-small", "settles-at")
        why = _too_small(request, out, make_up, evaporated, settles, rate)
        if hold is not None:
            plan.step("bleed", amount=hold / 60, unit="L/min", parameter=out.name, why=why)
        return
    if system.volume_l is None:
        plan.say("volume-unknown")
        plan.step("ask", parameter=out.name, why=NO_VOLUME)
        if hold is not None:
            plan.step("bleed", amount=hold, unit="L/h", parameter=out.name, aim=out.aim, working=(working,))
        return
    # Where it settles above the aim it comes as far as half of the way from there to the edge.
    aim = out.aim if out.aim > settles * 1.001 else (settles + out.edge) / 2
    washed = bleed(system.volume_l, rate, out.value, aim, make_up, evaporated)
    litres = washed.litres * system.bleed_l_min / rate
    lines = [
        f"{figures(system.volume_l)} L × ln(({plain(out.value)} − {figures(settles)}) / ({plain(aim)} − "
        f"{figures(settles)})) = {figures(litres)} L",
        f"{figures(litres)} L / {plain(system.bleed_l_min)} L/min = {written(washed.minutes, 'min')}",
    ]
    if evaporated and make_up:
        runs = f"{plain(60 * rate)} L/h"
        lines.insert(
            0,
            f"bled for ever it settles at {plain(make_up)} × ({plain(evaporated)} + {runs}) / {runs} = "
            f"{figures(settles)}: what goes off as vapour is made up, too",
        )
    if working:
        lines.append(working)
    if plan.has("biocide") or plan.has("disinfect") or _is_killing(request):
        plan.say("bleed-locked")
    plan.step("bleed", amount=litres, unit="L", parameter=out.name, aim=aim, working=tuple(lines))
    plan.takes_along(litres, system.volume_l)


def _is_killing(request: Request) -> bool:
    """Whether what was put in to kill bacteria has not had its time yet."""
    hours = {each.name: each.contact_h for each in request.products if each.kills}
    lately = [each for each in request.history if each.done == "biocide"]
    return any(each.days_ago * 24 < (hours.get(each.product) or 0.0) for each in lately)


def _too_small(request: Request, out: Out, make_up: float, evaporated: float, settles: float, rate: float) -> str:
    """Say why bleeding never brings a level down to its aim, and what would."""
    said = (
        f"The valve is too small: at {plain(60 * rate)} L/h it settles at {level(out.band, float(figures(settles)))}, "
        f"for {plain(evaporated)} L/h go off as vapour and are made up."
    )
    if out.aim <= make_up:
        return said
    said += f" {level(out.band, out.aim)} wants {figures(evaporated / (out.aim / make_up - 1))} L/h bled all the time"
    if request.system.volume_l is None:
        return f"{said}."
    once = drain_to(request.system.volume_l, out.value, out.aim, make_up)
    return f"{said}; {figures(once)} L drained and filled up brings it there for a while."


def drain_part(plan: Plan, request: Request, out: Out, make_up: float) -> float:
    """Propose to drain part of a system, whose volume is known, and fill it up at once; return how much, L."""
    volume_l = request.system.volume_l or 0.0
    litres = drain_to(volume_l, out.value, out.aim, make_up)
    working = (
        f"{figures(volume_l)} L × ({plain(out.value)} − {plain(out.aim)}) / ({plain(out.value)} − {plain(make_up)}) "
        f"= {figures(litres)} L"
    )
    plan.step("drain", amount=litres, unit="L", parameter=out.name, aim=out.aim, working=(working,))
    plan.takes_along(litres, volume_l, at_once=True)
    return litres


def never_by_make_up(plan: Plan, out: Out) -> None:
    """Say that the make-up water itself holds too much."""
    plan.say("make-up-too-strong")
    name = "salt" if out.name == CYCLES else out.name
    plan.step(
        "ask", parameter=out.name,
        why=f"its make-up water holds as much {name} as it is to come down to: bleeding never gets there",
    )  # fmt: skip
