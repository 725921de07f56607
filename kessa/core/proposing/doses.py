"""How much of which product raises or lowers a level, and what keeps it from being put in."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any, NamedTuple

from kessa.core.errors import CannotCompute, finite
from kessa.core.proposing.levels import Out
from kessa.core.proposing.plan import GALLON_L, NO_VOLUME, NOTHING_LOWERS, NOTHING_RAISES, Plan
from kessa.core.proposing.refusals import refusals
from kessa.core.proposing.request import Event, Level, Product, Request, called
from kessa.core.proposing.substances import grams_for
from kessa.core.quantities.quantity import plain
from kessa.core.quantities.units import POUND_KG, UNITS, convert, sign
from kessa.core.treating.amounts import Kept, figures, level, per_hour, written

# A volume that is less sure than this is said to be.
_UNSURE_PERCENT = 10
_ML = 1000
_UNITS_L = {"L": 1.0, "mL": 0.001, "gal": GALLON_L}
_UNITS_KG = {"kg": 1.0, "g": 0.001, "lb": POUND_KG, "oz": POUND_KG / 16}
NOTHING_HOLDS_SCALE = "nothing on the shelf holds scale in solution"
CHLORINE = Level(parameter="free chlorine", unit="mg/L", **{"as": "Cl2"})


class Strength(NamedTuple):
    """What a unit of a product (L or kg) brings into a litre, counted as a level is: of mg/L, mg."""

    mg: float
    unit: Kept


def strength(product: Product, counted: Level) -> Strength | None:
    """Return what a product brings, counted as a level is; None where its label does not say it.

    By its active part: percent by mass of what `as` names, of a liquid times its density. By its label: what a litre
    changes a cubic metre by.
    """
    unit: Kept
    if product.raises_mg_l_per_l_m3 is not None:
        mg, own = product.raises_mg_l_per_l_m3 * 1000 / grams_for(product.form_as, counted.form), product.step_unit
        unit = product.unit
    elif product.active_percent is not None:
        mg, own = product.active_percent / 100 * 1e6 / grams_for(product.form_as, counted.form), "mg/L"
        unit = "kg" if product.is_powder or product.density_kg_l is None else "L"
        mg *= (product.density_kg_l or 1.0) if unit == "L" else 1.0
    else:
        return None
    if counted.unit in ("", own):
        return Strength(mg, unit)
    if not {counted.unit, own} <= UNITS.keys():
        return None
    try:
        return Strength(mg * convert(1.0, own, counted.form, counted.unit, counted.form), unit)
    except CannotCompute:
        return None


def brought(event: Event, product: Product, counted: Level) -> float | None:
    """Return how many mg of what is counted were put in, where that can be told."""
    held = strength(product, counted)
    if held is None or event.amount is None:
        return None
    own = _UNITS_L if event.unit in _UNITS_L else _UNITS_KG
    if event.unit not in own:
        return None
    amount = event.amount * own[event.unit]
    if held.unit == "L" and own is _UNITS_KG:
        amount = amount / product.density_kg_l if product.density_kg_l else amount
    elif held.unit == "kg" and own is _UNITS_L:
        amount *= product.density_kg_l or 1.0
    return amount * held.mg


def allowed(plan: Plan, request: Request, products: Sequence[Product], parameter: str = "") -> Product | None:
    """Return the first of products that may be put in, one that is there before one that is not.

    Where none may, each is refused, and it is said why.
    """
    refused, may = [], []
    for product in products:
        why = refusals(product, request)
        (refused.append((product, why)) if why else may.append(product))
    if may:
        return next((each for each in may if each.stock != 0), may[0])
    for product, why in refused:
        plan.say(*why)
        plan.step("refuse", product.name, why=product.refused, parameter=parameter)
    return None


def by_label(request: Request, product: Product) -> float | None:
    """Return the middle of what a label gives for the system; None where it gives none, or no volume is known."""
    volume_l = request.system.volume_l
    return sum(product.label) / 2 * volume_l / 1000 if product.label and volume_l is not None else None


def label_working(request: Request, product: Product, amount: float) -> tuple[str, ...]:
    """Say how an amount follows from a label."""
    m3 = (request.system.volume_l or 0.0) / 1000
    ends = dict.fromkeys(plain(each) for each in product.label or ())
    return (
        f"{' to '.join(ends)} {product.unit} for 1 m³ × {figures(m3)} m³ = {written(amount, product.unit)}",
    )  # fmt: skip


class Stocked(NamedTuple):
    """What of an amount is on the shelf, and the amount where that is less."""

    now: float
    needed: float | None


def from_stock(plan: Plan, product: Product, amount: float) -> Stocked:
    """Return what of an amount is on the shelf; where that is less, it is said with what is needed."""
    if product.stock is None or product.stock >= amount:
        return Stocked(amount, None)
    plan.say("stock")
    plan.figure("needed-l" if product.unit == "L" else "needed-kg", amount)
    return Stocked(product.stock, amount)


def raising(request: Request, parameter: str) -> list[Product]:
    """Return the products that raise a parameter."""
    return [each for each in request.products if each.raises and called(each.raises) == parameter]


def lowering(request: Request, parameter: str) -> list[Product]:
    """Return the products that are sold to lower a parameter, and say by how much they do."""
    return [
        each for each in request.products
        if each.lowers and called(each.lowers) == parameter and each.raises_mg_l_per_l_m3 is not None
    ]  # fmt: skip


def dose(plan: Plan, request: Request, out: Out, small_in_ml: bool = False) -> None:
    """Propose what brings a level back by a product, and to test it again."""
    is_low, volume_l = out.side == "low", request.system.volume_l
    products = (raising if is_low else lowering)(request, out.name)
    if not products:
        plan.step("ask", parameter=out.name, why=NOTHING_RAISES if is_low else NOTHING_LOWERS)
        return
    product = allowed(plan, request, products, parameter=out.name)
    if product is None:
        return
    held = strength(product, out.band)
    if volume_l is None and held and is_low and request.system.flows_past_l_h:
        _pump_more(plan, request, product, out, held)
        return
    if volume_l is None:
        plan.say("volume-unknown")
        plan.step("ask", product.name, parameter=out.name, why=NO_VOLUME)
        return
    amount = by_label(request, product) if held is None else _needed(plan, request, product, out, held)
    if amount is None:
        plan.step("ask", product.name, parameter=out.name, why="its label does not say how strong it is")
        return
    if held and amount <= 0:
        most = _most_level(product, out) or 0.0
        why = f"The label allows no more than {level(out.band, most)} of it in the water."
        plan.step("refuse", product.name, parameter=out.name, why=why)
        return
    unit = held.unit if held else product.unit
    working = _worked(plan, request, product, out, held, amount) if held else label_working(request, product, amount)
    now = _held_back(plan, product, out, held, volume_l, amount, unit)
    about: dict[str, Any] = {"parameter": out.name, "aim": out.aim, "working": working}
    about["needed"] = amount if now < amount else None
    if small_in_ml and unit == "L" and now < 1:
        plan.step("dose", product.name, now * _ML, "mL", **about)
    else:
        plan.step("dose", product.name, now, unit, **about)
    plan.step("retest", parameter=out.name)


def _pump_more(plan: Plan, request: Request, product: Product, out: Out, held: Strength) -> None:
    """Propose by how much more is fed all the time into water that flows past the pump."""
    flow = request.system.flows_past_l_h or 0.0
    rate = finite((out.aim - out.value) * flow / held.mg, "flow_l_h")
    ends = f"({figures(out.aim)} − {figures(out.value)})" if out.value >= 0 else figures(out.aim - out.value)
    form = f" {out.band.form}" if out.band.form else ""
    line = (
        f"{ends} × {plain(flow)} L/h / 1000 = {figures((out.aim - out.value) * flow / 1000)} g/h{form}: "
        f"{written(rate, per_hour(held.unit))} more than now{_stroke(request, rate, held)}"
    )
    plan.step("dose", product.name, rate, f"{held.unit}/h", parameter=out.name, aim=out.aim, working=(line,))
    plan.step("retest", parameter=out.name)


def hold_scale(plan: Plan, request: Request, out: Out) -> None:
    """Propose what holds scale in solution, by its label; water that is too soft is left to who runs the plant."""
    holds = [each for each in request.products if each.prevents == "scale"] if out.side == "high" else []
    if not holds:
        plan.step("ask", parameter=out.name, why=NOTHING_HOLDS_SCALE if out.side == "high" else "")
        return
    product = allowed(plan, request, holds, parameter=out.name)
    if product is None:
        return
    amount = by_label(request, product)
    if amount is None:
        plan.say("volume-unknown")
        plan.step("ask", product.name, parameter=out.name, why=NO_VOLUME)
        return
    about: dict[str, Any] = {"parameter": out.name, "working": label_working(request, product, amount)}
    there = from_stock(plan, product, amount)
    plan.step("dose", product.name, there.now, product.unit, needed=there.needed, **about)
    plan.step("retest", parameter=out.name)


def _start(plan: Plan, out: Out, value: float) -> float:
    """Return where a level lies once what is done before has taken some of it along."""
    return value * plan.left if out.side == "low" and value > 0 else value


def _most_level(product: Product, out: Out) -> float | None:
    """Return the most of a product there may be in the water, counted as the band is; None where no label says so."""
    if product.most_level is None or out.side == "high":
        return None
    if product.step_unit == out.band.unit or out.band.unit not in UNITS:
        return product.most_level / grams_for(product.form_as, out.band.form)
    return convert(product.most_level, product.step_unit, product.form_as, out.band.unit, out.band.form)


def _needed(plan: Plan, request: Request, product: Product, out: Out, held: Strength) -> float:
    """Return how much brings a level to its aim, and not above its band where the system is as small as it may be."""
    volume_l, off = request.system.volume_l or 0.0, request.system.volume_off_percent
    start, most_level = _start(plan, out, out.value), _most_level(product, out)
    smallest = volume_l * (1 - off / 100)
    if off >= _UNSURE_PERCENT:
        plan.say("volume-uncertain")
    if out.side == "high":
        return finite((out.value - out.aim) * volume_l / held.mg, "volume_l")
    amount = (out.aim - start) * volume_l / held.mg
    if out.band.most is not None and off:
        amount = min(amount, (out.band.most - start) * smallest / held.mg)
    if most_level is not None:
        highest = _start(plan, out, out.value + out.off)
        amount = min(amount, (most_level - start) * volume_l / held.mg, (most_level - highest) * smallest / held.mg)
    return finite(amount, "volume_l")


def _held_back(
    plan: Plan, product: Product, out: Out, held: Strength | None, volume_l: float, amount: float, unit: str
) -> float:
    """Return what of an amount is put in now: at most what the label allows at once, and what is on the shelf."""
    if unit != product.unit:
        # Weighed, for its density is not known.
        return amount
    most = product.most_at_once
    bounds = {"label-most": most * volume_l / 1000 if most is not None else None, "stock": product.stock}
    now = amount
    for code, bound in bounds.items():
        if bound is None or now <= bound:
            continue
        plan.say(code)
        plan.figures.setdefault("needed-l" if unit == "L" else "needed-kg", amount)
        now = bound
        if held is not None:
            by = (1 if out.side == "low" else -1) * now * held.mg / volume_l
            plan.figure(f"reached-with-{code}", _start(plan, out, out.value) + by)
    return now


# ---- how it was worked out ------------------------------------------------------------------------------------------


def _worked(plan: Plan, request: Request, product: Product, out: Out, held: Strength, amount: float) -> tuple[str, ...]:
    lines, volume_l = [], request.system.volume_l or 0.0
    start, by = _start(plan, out, out.value), held.mg / 1000
    if start < out.value:
        left = f"{plain(out.value)} × {figures(plan.left)} = {figures(start)}"
        lines.append(f"left of it by then: {left} {level(out.band, 1.0).removeprefix('1').strip()}")
    aim = start + (1 if out.side == "low" else -1) * amount * held.mg / volume_l
    ends = f"({figures(max(aim, start))} − {figures(max(min(aim, start), 0.0))})"
    cubic = volume_l / 1000
    if product.active_percent is None:
        lines.append(f"{_by_step(product, out)}: {ends} × {figures(cubic)} m³ / {by:g} = {written(amount, held.unit)}")
    else:
        form = f" as {out.band.form}" if out.band.form else ""
        lines.append(f"{ends} × {figures(volume_l)} L / 1000 = {figures(abs(aim - start) * cubic)} g{form}")
        weighed = held.unit == "L" and product.density_kg_l
        own = amount * product.active_percent * 10 * (product.density_kg_l or 1.0 if weighed else 1.0)
        if out.band.form != product.form_as and product.form_as:
            lines.append(f"= {figures(own)} g {product.form_as}")
        density = f" / {product.density_kg_l:g} kg/L" if weighed else ""
        lines.append(f"{figures(own)} g / {product.active_percent:g} %{density} = {written(amount, held.unit)}")
    if amount < (out.aim - start) * volume_l / held.mg * (1 - 1e-9):
        lines.append(
            f"no more than {written(amount, held.unit, down=True)}: so the most is kept even if the system holds less "
            "or the reading was low"
        )
    lines += [*_pumped(request, out, held, start), *_instead(plan, request, product, out)]
    return (*lines, *_to_hold(plan, request, out, held))


def _by_step(product: Product, out: Out) -> str:
    does = "raises" if out.side == "low" else "lowers"
    form = f" as {product.form_as}" if product.form_as else ""
    by = f"{product.raises_mg_l_per_l_m3:g} {sign(product.step_unit)}{form}"
    return f"1 {product.unit} in 1 m³ {does} it by {by}"


def _pumped(request: Request, out: Out, held: Strength, start: float) -> list[str]:
    """Say how much more a dosing pump brings, where water flows past it."""
    flow = request.system.flow_l_h
    if flow is None or out.side == "high":
        return []
    more = (out.aim - start) * flow / held.mg
    by = f"{written(more, held.unit)} an hour{_stroke(request, more, held)}"
    return [f"or the dosing pump up by {by}, at {plain(flow)} L/h of water"]


def _stroke(request: Request, rate: float, held: Strength) -> str:
    """Say how much of a dosing pump's full stroke a rate is, where it pumps litres and its stroke is known."""
    full = request.system.pump_l_h
    if full is None or held.unit != "L":
        return ""
    return f" ({figures(100 * rate / full)} % of its stroke)" if rate <= full else " (more than the pump gives)"


def _to_hold(plan: Plan, request: Request, out: Out, held: Strength) -> list[str]:
    """Say how much is fed all the time to hold a level: what the water that leaves takes along, and what is used up."""
    system = request.system
    leaves = system.bleed_now_l_h or system.blowdown_kg_h or plan.figures.get("hold-bleed-l-h") or 0.0
    leaves += system.drift_l_h if leaves else 0.0
    used = _used_up(plan, request, out, leaves)
    rate = (leaves * out.aim + used / 24 * (system.volume_l or 0.0)) / held.mg
    if out.side == "high" or rate <= 0:
        return []
    plan.figure(f"feed-{held.unit.lower()}-h", rate)
    parts = [f"{figures(leaves)} L/h that leave × {figures(out.aim)}"] if leaves else []
    parts += [f"{level(out.band, float(figures(used)))} a day used up"] if used else []
    amount = written(rate, per_hour(held.unit))
    return [f"to hold it there: {' and '.join(parts)}: {amount} fed all the time{_stroke(request, rate, held)}"]


def _used_up(plan: Plan, request: Request, out: Out, leaves: float) -> float:
    """Return by how much a level falls a day beyond what leaves with the water (L/h), by the last two tests of it."""
    tests = [each for each in request.history if out.name in each.levels and each.days_ago > 0]
    volume_l = request.system.volume_l
    if not tests or volume_l is None:
        return 0.0
    last = tests[-1]
    since = request.history[request.history.index(last) + 1 :]
    if any(each.done == "dose" for each in since):
        return 0.0
    before = last.level(out.name, out.band.form)
    washed = before * math.exp(-leaves * 24 * last.days_ago / volume_l)
    a_day = (washed - out.value) / last.days_ago
    if a_day <= 0 or washed - out.value <= math.hypot(last.off, out.off):
        return 0.0
    plan.figure("used-up-mg-l-day", a_day)
    return a_day


def _instead(plan: Plan, request: Request, chosen: Product, out: Out) -> list[str]:
    """Say how much it would be of the other products that may go in."""
    others = (raising if out.side == "low" else lowering)(request, out.name)
    lines = []
    for each in others:
        held = strength(each, out.band)
        if each is chosen or held is None or refusals(each, request):
            continue
        amount = _needed(plan, request, each, out, held)
        if amount > 0:
            lines.append(f"instead: {written(amount, held.unit, down=True)} of {each.name}")
    return lines
