"""Closed loops: inhibitors, what became of them, cleaning, glycol."""

from __future__ import annotations

import math
from typing import Any, NamedTuple

from kessa.core.proposing.bleeding import drain_part, never_by_make_up
from kessa.core.proposing.doses import (
    allowed,
    brought,
    by_label,
    dose,
    from_stock,
    hold_scale,
    label_working,
    lowering,
    raising,
)
from kessa.core.proposing.levels import Out, held_against, washes_out
from kessa.core.proposing.plan import NO_VOLUME, NOTHING_LOWERS, Plan
from kessa.core.proposing.request import DAYS_A_MONTH, SCALING, Event, Level, Product, Request, called
from kessa.core.quantities.tables import between_lines
from kessa.core.treating.amounts import figures
from kessa.core.treating.dosing import bleed

# Freezing points of glycol in water, °C by percent by volume: ASHRAE Fundamentals, physical properties of secondary
# coolants.
_FREEZING = {
    "propylene": (
        (0.0, 0.0), (4.8, -1.6), (9.6, -3.3), (14.5, -5.1), (19.4, -7.1), (24.4, -9.6), (29.4, -12.7), (34.4, -16.4),
        (39.6, -21.1), (44.7, -26.7), (49.9, -33.5), (55.0, -41.6), (60.1, -51.1),
    ),
    "ethylene": (
        (0.0, 0.0), (4.4, -1.4), (8.9, -3.2), (13.6, -5.4), (18.1, -7.8), (22.9, -10.7), (27.7, -14.1), (32.6, -17.9),
        (37.5, -22.3), (42.5, -27.5), (47.5, -33.8), (52.7, -41.1), (57.8, -48.3),
    ),
}  # fmt: skip
# What tells how much water was lost: it goes with the water alone.
_TRACERS = ("molybdate", "conductivity", "chloride", "tds")
_EATEN = ("nitrite",)
# It fell where so much of what was expected is gone; what stayed within this is steady; two that differ by less fell
# alike.
_FELL, _STEADY, _ALIKE = 0.9, 0.95, 0.12
# It rose by more than was put in where so much more than what was expected is there.
_ROSE = 1.25
# So much of its volume a closed loop is made up by in a month at most, as long as it is tight: practice of loops.
_MOST_MADE_UP = 0.05
# Of what was in the water so much is left after a flush.
FLUSHED_TO = 0.05
NOTHING_CLEANS = "nothing on the shelf cleans this"
_ALL = 100.0
_DIRT = ("iron", "copper", "suspended solids", "turbidity", "oil", "manganese")
# What stands for what on a cleaner's label.
_CLEANS = {"iron": ("iron", "rust", "magnetite"), "copper": ("copper",), "oil": ("oil", "grease")}


class _Expected(NamedTuple):
    """What a level was, what was put in since and what is left of it now, and over how many days."""

    before: float
    expected: float
    now: float
    days: float
    was_dosed: bool
    # How far what is left of it may be off, as a part.
    doubt: float


def freezing_point(glycol: str, percent: float) -> float:
    """Return at how many °C water with so much of a glycol (percent by volume) freezes."""
    return between_lines(_FREEZING[glycol], percent)


def treat_loop(plan: Plan, request: Request, outs: list[Out]) -> None:
    """Propose what a closed loop needs: what is lost is looked for before it is put back, dirt goes first."""
    volume_l = request.system.volume_l
    _what_became_of(plan, request, volume_l)
    _rose_more(plan, request, volume_l)
    _by_its_meter(plan, request, volume_l)
    glycol = next((each for each in outs if each.name == "glycol"), None)
    frost = next((each for each in outs if each.name == "freezing point"), None)
    dirty = [each for each in outs if each.name in _DIRT and each.side == "high"]
    if dirty:
        _clean(plan, request, dirty[0], volume_l)
    if glycol:
        _swap(plan, request, glycol.value, glycol.aim, volume_l)
    elif frost:
        _swap_by_frost(plan, request, frost, volume_l)
    others = [each for each in outs if each not in (glycol, frost) and each not in dirty]
    if plan.has("flush"):
        others += _inside(request, others)
    # What is drained takes along what is dosed: it comes first.
    for out in sorted(others, key=lambda each: each.side == "low"):
        if out.name == SCALING:
            hold_scale(plan, request, out)
        elif out.side == "low" or lowering(request, out.name):
            dose(plan, request, out)
        else:
            _thin(plan, request, out, volume_l)


def _inside(request: Request, others: list[Out]) -> list[Out]:
    """Return what a flush takes out although it was right, and something on the shelf puts back."""
    found = [
        held_against(each, band, "low") for each in request.findings
        if (band := request.band(each.name)) and band.least and raising(request, each.name)
        and each.name not in {out.name for out in others}
    ]  # fmt: skip
    return [each for each in found if each is not None and each.value <= (each.band.most or math.inf)]


def _what_became_of(plan: Plan, request: Request, volume_l: float | None) -> None:
    """Hold an inhibitor against what was there before and was put in since: a leak loses water, bacteria eat it."""
    eaten = next((each for each in request.findings if each.name in _EATEN), None)
    seen = eaten and _expected(request, eaten.name, eaten.value, eaten.form, volume_l)
    if not eaten or not seen or seen.expected <= 0 or seen.now / seen.expected + seen.doubt >= _FELL:
        _lost_by_tracer_alone(plan, request, volume_l, bool(eaten))
        return
    if seen.was_dosed:
        plan.figure("expected-mg-l", seen.expected)
        plan.figure("lost-mg-l", seen.expected - seen.now)
        if seen.now <= seen.before:
            plan.say("went-down-though-dosed")
    left, doubt = _left_by_tracers(request, volume_l)
    nitrite_left = seen.now / seen.expected
    if left is None:
        plan.step("look-for-leak", parameter=eaten.name)
        plan.step("look-for-bacteria", parameter=eaten.name)
        return
    is_steady = left >= _STEADY or left + doubt >= 1
    if left + doubt < _FELL:
        _leak(plan, left if nitrite_left < left - _ALIKE else (left + nitrite_left) / 2, seen.days, volume_l)
    if is_steady or nitrite_left + doubt < left - _ALIKE:
        plan.say("bacteria")
        if is_steady:
            plan.say("tracer-steady")
        plan.step("look-for-bacteria", parameter=eaten.name)
        _kill(plan, request)
        plan.step("laboratory", parameter="bacteria")


def _rose_more(plan: Plan, request: Request, volume_l: float | None) -> None:
    """Note what rose by more than was put in explains: the system holds less, or more went in."""
    for finding in request.findings:
        seen = _expected(request, finding.name, finding.value, finding.form, volume_l)
        if seen and volume_l and seen.was_dosed and seen.now > (_ROSE + seen.doubt) * seen.expected:
            plan.say("rose-more")
            plan.figure("expected-mg-l", seen.expected)
            plan.figure("volume-by-dose-l", volume_l * (seen.expected - seen.before) / (seen.now - seen.before))
            return


def _by_its_meter(plan: Plan, request: Request, volume_l: float | None) -> None:
    """Propose to look for a leak where a closed loop is made up by more than its joints and vents lose."""
    a_month = (request.system.use_l_day or 0.0) * DAYS_A_MONTH
    if volume_l and a_month > _MOST_MADE_UP * volume_l:
        plan.say("made-up")
        plan.figure("made-up-l-month", a_month)
        plan.figure("made-up-percent-month", 100 * a_month / volume_l)
        plan.step("look-for-leak", parameter="make-up a day")


def _lost_by_tracer_alone(plan: Plan, request: Request, volume_l: float | None, has_nitrite: bool) -> None:
    left, doubt = _left_by_tracers(request, volume_l)
    if left is not None and left + doubt < _FELL and not has_nitrite:
        tests = [each for each in request.history if each.findings]
        _leak(plan, left, tests[-1].days_ago if tests else 0.0, volume_l)


def _leak(plan: Plan, left: float, days: float, volume_l: float | None) -> None:
    plan.say("leak", "tracer-fell")
    plan.figure("left-fraction", left)
    if volume_l is not None:
        lost = volume_l * math.log(1 / left) if left > 0 else volume_l
        plan.figure("lost-l", lost)
        if days > 0:
            plan.figure("lost-l-per-day", lost / days)
    plan.step("look-for-leak")


def _expected(
    request: Request, name: str, now: float, written_as: str | None, volume_l: float | None
) -> _Expected | None:
    """Return what a level should be by the last test before, and what was put in since."""
    tests = [each for each in request.history if name in each.levels]
    if not tests:
        return None
    last = tests[-1]
    before = last.level(name, written_as)
    after = request.history[request.history.index(last) + 1 :]
    added = [_raised(request, each, name, written_as, volume_l) for each in after if each.done == "dose"]
    known = [each for each in added if each is not None]
    expected = before + sum(known)
    found = request.found(name)
    doubt = math.hypot(found.off if found else 0.0, last.off) / expected if expected > 0 else 0.0
    return _Expected(before, expected, now, last.days_ago, bool(known), doubt)


def _raised(request: Request, event: Event, name: str, written_as: str | None, volume_l: float | None) -> float | None:
    product = next((each for each in request.products if each.name == event.product), None)
    if product is None or called(product.raises) != name or volume_l is None:
        return None
    put_in = brought(event, product, Level(parameter=name, unit="mg/L", **{"as": written_as}))
    return None if put_in is None else put_in / volume_l


def _left_by_tracers(request: Request, volume_l: float | None) -> tuple[float | None, float]:
    """Return which part of what only goes with the water is left, over its make-up, and how far that may be off.

    None where nothing tells.
    """
    parts, doubts = [], []
    for finding in request.findings:
        if finding.name not in _TRACERS:
            continue
        seen = _expected(request, finding.name, finding.value, finding.form, volume_l)
        supplied = request.supplied(finding.name) or 0.0
        # What was dosed raises the conductivity too, by how much nobody knows.
        is_muddled = finding.name in ("conductivity", "tds") and any(each.done == "dose" for each in request.history)
        if seen and seen.expected > supplied and not is_muddled:
            parts.append((finding.value - supplied) / (seen.expected - supplied))
            doubts.append(seen.doubt)
    return (sum(parts) / len(parts), max(doubts)) if parts else (None, 0.0)


def _kill(plan: Plan, request: Request) -> None:
    """Propose what kills bacteria where it does no harm to the inhibitor."""
    kills = [each for each in request.products if each.kills]
    product = allowed(plan, request, kills, parameter="bacteria") if kills else None
    litres = by_label(request, product) if product else None
    if product and litres is not None:
        working = label_working(request, product, litres)
        about: dict[str, Any] = {"parameter": "bacteria", "contact_h": product.contact_h, "working": working}
        there = from_stock(plan, product, litres)
        plan.step("biocide", product.name, there.now, product.unit, needed=there.needed, **about)


# ---- dirt -----------------------------------------------------------------------------------------------------------


def _clean(plan: Plan, request: Request, out: Out, volume_l: float | None) -> None:
    """Propose a cleaner that fits by its label, and the flush after it; others are refused where they would do harm."""
    cleaners = [each for each in request.products if each.cleans]
    words = _CLEANS.get(out.name, (out.name,))
    fitting = [each for each in cleaners if any(word in each.cleans.lower() for word in (*words, "anything"))]
    product = allowed(plan, request, fitting, parameter=out.name) if fitting else None
    if product is None:
        allowed_at_all = allowed(plan, request, [each for each in cleaners if each not in fitting], parameter=out.name)
        if allowed_at_all is not None or not cleaners:
            plan.step("ask", parameter=out.name, why=NOTHING_CLEANS)
        return
    if volume_l is None:
        plan.say("volume-unknown")
        plan.step("ask", product.name, parameter=out.name, why=NO_VOLUME)
        return
    amount = by_label(request, product)
    if amount is None:
        plan.step("clean", product.name, parameter=out.name)
    else:
        if product.stock is not None and product.stock < amount:
            plan.say("stock")
        working = label_working(request, product, amount)
        plan.step("clean", product.name, amount, product.unit, parameter=out.name, working=working)
    if request.system.glycol:
        # Through a filter beside the loop; water would wash the frost protection out.
        plan.say("frost-protection", "side-stream")
        _refill(plan, request, volume_l)
    else:
        litres = bleed(volume_l, 1.0, 1.0, FLUSHED_TO).litres
        line = f"{figures(volume_l)} L × ln(1 / {FLUSHED_TO:g}) = {figures(litres)} L"
        plan.step("flush", amount=litres, unit="L", parameter=out.name, working=(line,))
        plan.left, plan.left_after = FLUSHED_TO, ", after the flush"
    plan.step("retest", parameter=out.name)


def _refill(plan: Plan, request: Request, litres: float) -> None:
    """Propose to fill up with glycol and water as they were, where a loop is kept from freezing."""
    product = _glycol_for(plan, request)
    plan.step("refill-premixed", product.name if product else "", litres, "L")


# ---- too much of it -------------------------------------------------------------------------------------------------


def _thin(plan: Plan, request: Request, out: Out, volume_l: float | None) -> None:
    """Propose to drain and fill up; where there is glycol in it, with glycol and water as they were."""
    supplied = request.supplied(out.name) or 0.0
    if not washes_out(out.name) or "alkalinity" in out.name:
        plan.step("ask", parameter=out.name, why=NOTHING_LOWERS)
        return
    if supplied >= out.aim:
        never_by_make_up(plan, out)
        return
    if volume_l is None:
        plan.say("volume-unknown")
        plan.step("ask", parameter=out.name, why=NO_VOLUME)
        return
    plan.say("stop-feed")
    if request.system.glycol:
        plan.say("frost-protection")
    litres = drain_part(plan, request, out, supplied)
    if request.system.glycol:
        _refill(plan, request, litres)
    else:
        plan.step("refill-water", amount=litres, unit="L")
    plan.step("retest", parameter=out.name)


# ---- glycol ---------------------------------------------------------------------------------------------------------


def _glycol_of(request: Request) -> str | None:
    own = request.system.glycol if request.system.glycol != "unknown" else None
    return own or next((each.glycol for each in request.products if each.glycol), None)


def _glycol_for(plan: Plan, request: Request) -> Product | None:
    return allowed(plan, request, _glycols(request), parameter="glycol")


def _strong(product: Product) -> float:
    """Return how many percent of a product are glycol; where its label says by how much 1 L raises 1 m³, by that."""
    raised = product.raises_mg_l_per_l_m3 if product.step_unit == "%" else None
    return min(product.active_percent or (raised * 1000 if raised else _ALL), _ALL)


def _glycols(request: Request) -> list[Product]:
    return [each for each in request.products if each.glycol or called(each.raises) == "glycol"]


def _swap_by_frost(plan: Plan, request: Request, out: Out, volume_l: float | None) -> None:
    """Propose what brings the freezing point where it is to be, by the glycol that this takes."""
    glycol = _glycol_of(request)
    if glycol is None:
        plan.step("ask", parameter=out.name, why="which glycol is in it is not known")
        return
    by_frost = tuple(sorted((celsius, percent) for percent, celsius in _FREEZING[glycol]))
    now, aim = (between_lines(by_frost, _celsius(out, each)) for each in (out.value, out.aim))
    _swap(plan, request, now, aim, volume_l)


def _celsius(out: Out, value: float) -> float:
    return (value - 32) / 1.8 if out.band.unit == "degF" else value


def _swap(plan: Plan, request: Request, now: float, aim: float, volume_l: float | None) -> None:
    """Propose how much is drained, and with what it is filled up, for another share of glycol."""
    glycol = _glycol_of(request)
    if glycol is not None:
        found = request.found("glycol")
        off = found.off if found else 0.0
        points = {"freezing-point": now, "freezing-after": aim, "freezing-worst": max(now - off, 0.0)}
        for name, percent in points.items():
            celsius = freezing_point(glycol, percent)
            plan.figure(f"{name}-c", celsius)
            if request.system.is_customary:
                plan.figure(f"{name}-f", celsius * 1.8 + 32)
    plan.say("frost-protection", *(["freezes-at"] if glycol is not None else []))
    if volume_l is None:
        plan.say("volume-unknown")
        plan.step("ask", parameter="glycol", why=NO_VOLUME)
        return
    if aim < now:
        litres = volume_l * (now - aim) / now
        line = f"{figures(volume_l)} L × ({figures(now)} − {figures(aim)}) / {figures(now)} = {figures(litres)} L"
        plan.step("drain", amount=litres, unit="L", parameter="glycol", working=(line,))
        plan.step("refill-water", amount=litres, unit="L")
        plan.step("retest", parameter="glycol")
        return
    if not _glycols(request):
        plan.step("ask", parameter="glycol", why="no glycol is on the shelf")
        return
    product = _glycol_for(plan, request)
    if product is None:
        return
    strong = _strong(product)
    if strong <= aim:
        plan.step("ask", product.name, parameter="glycol", why="it is no stronger than the loop is to be")
        return
    litres = volume_l * (aim - now) / (strong - now)
    line = (
        f"{figures(volume_l)} L × ({figures(aim)} − {figures(now)}) / ({figures(strong)} − {figures(now)}) "
        f"= {figures(litres)} L"
    )
    plan.step("drain", amount=litres, unit="L", parameter="glycol", working=(line,))
    there = from_stock(plan, product, litres)
    plan.step("dose", product.name, there.now, "L", parameter="glycol", needed=there.needed)
    plan.step("retest", parameter="glycol")
