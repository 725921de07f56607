"""Dosing a product: which of the team's fits, how much, in how many portions, and which must not go in."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

from kessa.core.errors import CannotCompute, finite
from kessa.core.quantities.parameters import parameter
from kessa.core.quantities.quantity import plain
from kessa.core.quantities.spread import Spread, spread
from kessa.core.treating.amounts import figures, written
from kessa.core.treating.dosing import raise_level
from kessa.core.treating.lowering import NO_VOLUME, from_zero, level, likely, named
from kessa.core.treating.mixing import refusal
from kessa.core.treating.products import CLEANS, HOLDS_SCALE, LOWERS, RAISES, Product
from kessa.core.treating.systems import Finding, Held, Proposal, System

_STABILISED = "organic chlorine"
# So much chlorine for each mg/L of combined chlorine before any free chlorine stands: by the masses of the reaction
# that ends at nitrogen, and what is found to be needed (7.6 and 10 mg Cl2 a mg of ammonia as N; AWWA Manual M20).
_BREAKPOINT = (0.52, 1.0)
# What takes a level down is done a third at a time.
_THIRDS = 3


class Before(NamedTuple):
    """What is left of a level when its dose goes in: a bleed, drain or flush before it takes a part along."""

    part: Spread
    words: str


def dosed(system: System, finding: Finding, rank: int, before: Before | None = None) -> Proposal:
    """Propose to raise a level to its aim, or take it down to it, with the team's product for that."""
    does = RAISES if finding.side != "high" else LOWERS
    fitting = [each for each in system.products if _fits(each.product, does, finding)]
    base = _base("dose" if does == RAISES else "lower", finding, rank)
    if not fitting:
        return base._replace(
            title=f"{'Raise' if does == RAISES else 'Lower'} {finding.parameter}: with which product, is not known yet",
            missing=(f"No product of the team {does} {finding.parameter}: write its label down under Products.",),
        )
    chosen, refusals = _allowed(system, fitting)
    if chosen is None:
        names = " and ".join(each.product.name for each in fitting)
        return base._replace(title=f"Not {names}: it must not go in here", refused=" ".join(refusals))
    if system.volume is None:
        return base._replace(
            title=f"Dose {chosen.product.name}: how much, is not known yet", missing=(NO_VOLUME,), product=chosen.key
        )
    try:
        worked = _worked(system, finding, base, chosen, before)._replace(product=chosen.key)
    except CannotCompute as error:
        return base._replace(title=f"Dose {chosen.product.name}: how much, cannot be told", missing=(error.message,))
    return worked._replace(working=(*worked.working, *_instead(system, finding, base, fitting, chosen, before)))


def asked_first(finding: Finding, rank: int, combined: float) -> Proposal:
    """Propose to ask whether a supply is chloraminated, where combined chlorine (mg/L as Cl2) is well above free.

    It says how much chlorine would go into the combined before any free chlorine stands: the breakpoint.
    """
    least, most = (figures(combined * each) for each in _BREAKPOINT)
    return _base("look", finding, rank)._replace(
        key="ask:chloramines",
        title="Ask whether this supply is chloraminated, before anything is dosed",
        why=f"Combined chlorine is {figures(combined)} mg/L. Where ammonia is added on purpose, little free chlorine "
        "is as it should be, and none is added: the total is what counts.",
        working=(
            f"where it is not: up to the breakpoint {figures(combined)} × {_BREAKPOINT[0]:g} to {_BREAKPOINT[1]:g} "
            f"= {least} to {most} mg/L of chlorine are used up before any free chlorine stands",
            f"then {level(finding, finding.aim)} on top: who runs the supply decides, and tests free and total after",
        ),
    )


def _instead(
    system: System, finding: Finding, base: Proposal, fitting: Sequence[Held], chosen: Held, before: Before | None
) -> list[str]:
    """Say how much it would be of the team's other products that may go in."""
    others = [each for each in fitting if each is not chosen and not refused_in(system, each.product)]
    found = [(each, _worked(system, finding, base, each, before)) for each in others]
    return [
        f"instead: {written(worked.amount.value, each.product.kept, down=True)} of {each.product.name}"
        for each, worked in found
        if worked.amount
    ]


def _fits(product: Product, does: str, finding: Finding) -> bool:
    if product.does != does or parameter(product.parameter).key != parameter(finding.parameter).key:
        return False
    try:
        return product.changes(finding.unit, finding.form) > 0
    except CannotCompute:
        return False


def _allowed(system: System, fitting: Sequence[Held]) -> tuple[Held | None, list[str]]:
    """Return the first product that may go in, one that is there before one that is not; and why others may not."""
    refusals, allowed = [], []
    for each in fitting:
        why = refused_in(system, each.product)
        (refusals.append(why) if why else allowed.append(each))
    in_stock = [each for each in allowed if each.left is None or each.left > 0]
    return next(iter(in_stock or allowed), None), refusals


def refused_in(system: System, product: Product) -> str:
    """Say why a product must not go into a system; nothing where it may.

    Into water that people drink only what is approved for it goes, and never a stabilised chlorine: its cyanuric acid
    stays, and holds the chlorine back (WHO Guidelines, chemical fact sheet on sodium dichloroisocyanurate).
    """
    if system.water == "drinking" and _STABILISED in product.holds:
        return f"{product.name} is a stabilised chlorine: none of it goes into water that people drink."
    if system.water == "drinking" and not product.approved_for_drinking:
        return f"The label of {product.name} is not ticked as approved for drinking water: look at it under Products."
    return refusal(product.name, product.holds, system.holds)


def _worked(system: System, finding: Finding, base: Proposal, held: Held, before: Before | None) -> Proposal:
    product, volume = held.product, system.volume
    assert volume is not None
    by = product.changes(finding.unit, finding.form)
    measured = from_zero(finding.measured)
    start = spread(lambda m, left: m * left, measured, before.part) if before else measured
    most = product.most_in(finding.unit, finding.form)
    raises = base.by == "dose"
    aim = min(finding.aim, most) if raises and most is not None else finding.aim
    room = _room(volume, start, most, by) if raises and most is not None else math.inf
    if room <= 0:
        why = f"The label allows no more than {level(finding, most or 0.0)} of it in the water."
        return base._replace(title=f"No more {product.name}", refused=why)

    def litres(v: float, m: float) -> float:
        low, high = (min(m, aim), aim) if raises else (aim, max(m, aim))
        return finite(raise_level(v, low, high).active_g / by, "step")

    amount = spread(litres, volume, start)
    working = _sum(finding, product, volume, start, aim, before)
    if room < amount.value:
        amount = Spread(room, min(amount.low, room), amount.high)
        working.append(
            f"only {written(room, product.kept, down=True)}: the label's most, {level(finding, most or 0.0)}, is kept "
            "even if the system holds less or the reading was low"
        )
    expect = spread(lambda v, m: m + (1 if raises else -1) * amount.value * by * 1000 / v, volume, start)
    amount, portions, notes = _in_portions(product, amount, volume, least=1 if raises else _THIRDS)
    working += notes
    if raises and system.flow_l_h:
        more = abs(aim - start.value) * system.flow_l_h / 1000 / by
        working.append(
            f"or the dosing pump up by {written(more, product.kept)} an hour, at {plain(system.flow_l_h)} L/h of water"
        )
    if held.left is not None and held.left < amount.value:
        working.append(f"only {written(held.left, product.kept)} of it is left: order more")
    # What was read is told as it was read; what is left of it, with the figures it deserves.
    shown = float(figures(start.value)) if before else start.value
    verb = "Dose" if raises else "Take it down with"
    return base._replace(
        title=f"{verb} {{amount}} of {product.name}{_portions_said(portions)}",
        why=f"{parameter(finding.parameter).title} {level(finding, shown)} is to come to {level(finding, aim)} "
        f"in {figures(volume.value)} L{before.words if before else ''}.",
        working=tuple(working), amount=amount, kept=product.kept, portions=portions, aim=aim, expect=expect,
        hours_between=product.hours_between if portions > 1 else 0.0,
    )  # fmt: skip


def _room(volume: Spread, start: Spread, most: float, by: float) -> float:
    """Return how much may go in before the level is at its most, in the smallest and fullest case there may be."""
    return volume.low * (most - (start.value if start.high is None else start.high)) / 1000 / by


def _sum(
    finding: Finding, product: Product, volume: Spread, start: Spread, aim: float, before: Before | None
) -> list[str]:
    by, step = product.changes(finding.unit, finding.form), abs(aim - start.value)
    shown = level(finding, 1.0).removeprefix("1").strip()
    lines = []
    if before and finding.measured.value > 0:
        left = f"{plain(finding.measured.value)} × {figures(before.part.value)} = {figures(start.value)}"
        lines.append(f"left of it by then: {left} {shown}")
    high, low = max(aim, start.value), min(aim, start.value)
    cubic = volume.value / 1000
    if product.active_percent is None:
        lines.append(f"{product.strength}: ({plain(high)} − {plain(low)}) × {figures(cubic)} m³ / {by:g}")
    else:
        grams = step * cubic
        needed = grams * product.active_percent * 10 * (product.density_kg_l or 1.0 if product.liquid else 1.0) / by
        lines.append(
            f"({figures(high)} − {figures(low)}) × {figures(volume.value)} L / 1000 = {figures(grams)} g{_as(finding)}"
        )
        if (finding.form or "") != product.active_form:
            lines.append(f"= {figures(needed)} g {product.active_form}")
        weighed = f" / {product.density_kg_l:g} kg/L" if product.liquid and product.density_kg_l else ""
        lines.append(f"{figures(needed)} g / {product.active_percent:g} %{weighed}")
    return [*lines[:-1], f"{lines[-1]} = {written(cubic * step / by, product.kept)}"]


def _as(finding: Finding) -> str:
    return f" as {finding.form}" if finding.form else ""


def _in_portions(product: Product, amount: Spread, volume: Spread, least: int) -> tuple[Spread, int, list[str]]:
    """Part an amount so that no portion is above the label's most, taken for the smallest the system may be."""
    notes = likely(amount, product.kept)
    portions = least
    if product.most_per_m3:
        at_once = product.most_per_m3 * volume.low / 1000
        portions = max(portions, math.ceil(amount.value / at_once - 1e-9))
        notes.append(f"label allows {written(at_once, product.kept, down=True)} at once")
    if portions > 1:
        notes.append(f"{portions} portions, {plain(product.hours_between)} h apart, tested between")
    return amount, portions, notes


def _portions_said(portions: int) -> str:
    return "" if portions == 1 else f", in {portions} portions of {{portion}}"


def by_label(system: System, finding: Finding, rank: int, by: str) -> Proposal:
    """Propose a cleaner or a scale reducer by its label's dose for the volume."""
    does, verb = (CLEANS, "Clean it first") if by == "clean" else (HOLDS_SCALE, "Hold the scale")
    base = _base(by, finding, rank)._replace(key=by)
    fitting = [each for each in system.products if each.product.does == does]
    if not fitting:
        return base._replace(
            title=f"{verb}: with which product, is not known yet",
            missing=(f"No product of the team {does}: write its label down under Products.",),
        )
    chosen, refusals = _allowed(system, fitting)
    if chosen is None:
        return base._replace(title=f"{verb}, but not with what there is", refused=" ".join(refusals))
    product = chosen.product
    if system.volume is None:
        return base._replace(title=f"{verb} with {product.name}", missing=(NO_VOLUME,), product=chosen.key)
    label = product.label_per_m3 or 0.0
    amount = spread(lambda v: v / 1000 * label, system.volume)
    amount, portions, notes = _in_portions(product, amount, system.volume, least=1)
    return base._replace(
        title=f"{verb}: {{amount}} of {product.name}{_portions_said(portions)}",
        working=(
            f"{plain(label)} {product.kept} for 1 m³ × {figures(system.volume.value / 1000)} m³ "
            f"= {written(amount.value, product.kept)}",
            *notes,
        ),
        amount=amount, kept=product.kept, portions=portions, product=chosen.key,
        hours_between=product.hours_between if portions > 1 else 0.0,
    )  # fmt: skip


def _base(by: str, finding: Finding, rank: int) -> Proposal:
    return named(by, "", [finding], rank, key=f"{by}:{parameter(finding.parameter).key}", aim=finding.aim)
