"""Bringing a level down: bleeding while it is made up, draining part-way, flushing, taking up by a product."""

from __future__ import annotations

import math
from collections.abc import Sequence

from kessa.core.derived.cycles import boiler_blowdown, flows_of_tower
from kessa.core.errors import CannotCompute
from kessa.core.quantities.parameters import parameter
from kessa.core.quantities.quantity import plain
from kessa.core.quantities.spread import Spread, exactly, spread
from kessa.core.quantities.units import sign
from kessa.core.treating.amounts import Kept, figures, written
from kessa.core.treating.dosing import bleed, drain_to
from kessa.core.treating.systems import Finding, Proposal, System
from kessa.core.treating.ways import ways

NO_VOLUME = (
    "How much the system holds is not written down: from its plate or drawing, from its pipes, radiators and vessels, "
    "or from a known weight of salt put in. The place's page works it out."
)
_CYCLES = "cycles of concentration"
_GLYCOL = "glycol"
_FROST = (
    "Test the freezing point before any water goes in or out, and again afterwards: below it the loop bursts. Glycol "
    "is caught, and does not go down a drain."
)
# Of what was in the water so much is left after a flush.
FLUSHED_TO = 0.05


def level(finding: Finding, number: float) -> str:
    """Write a level in the unit of a finding."""
    form = f" as {finding.form}" if finding.form else ""
    return f"{plain(number)} {sign(finding.unit)}{form}".rstrip()


def makeup_of(system: System, finding: Finding) -> Spread | None:
    """Return what the supply brings of a parameter, in the finding's unit; None where nobody tested it."""
    name = parameter(finding.parameter).key
    if name == _CYCLES:
        return exactly(1.0)
    found = system.supply.get(name)
    if found is None:
        return None
    there = found.converted(finding.unit, finding.form or found.form)
    return there.spread


def bled(system: System, findings: Sequence[Finding], rank: int) -> Proposal:
    """Propose to bleed until the last of several levels that are too high is back: the longest decides."""
    volume = system.volume
    if volume is None:
        return _without_volume("bleed", "Bleed: how much, is not known yet", findings, rank)
    worked = [(each, *_litres(system, volume, each, makeup_of(system, each))) for each in findings]
    reached = [each for each in worked if each[1] is not None]
    if not reached:
        return named(
            "bleed", "Bleeding cannot bring it down", findings, rank, refused=_never(system, volume, findings[0])
        )
    finding, litres, makeup = max(reached, key=lambda each: each[1].value if each[1] else 0.0)
    assert litres is not None
    holds = exactly(0.0) if makeup is None else makeup
    settles = settles_at(system, holds.value)
    missing: list[str] = []
    working = [
        *_how_it_settles(system, holds.value, settles),
        f"{figures(volume.value)} L × ln(({plain(finding.measured.value)} − {figures(settles)}) / "
        f"({plain(finding.aim)} − {figures(settles)})) = {figures(litres.value)} L",
    ]
    if makeup is None:
        missing.append(
            f"What the supply holds of {finding.parameter} was not tested: taken as none, with some it takes longer."
        )
    title, amount = "Bleed {amount}", litres
    kept: Kept = "L"
    if system.bleed_l_min:
        rate = system.bleed_l_min
        amount = Spread(*(None if end is None else end / rate for end in litres))  # type: ignore[arg-type]
        title, kept = f"Bleed {{amount}} at {plain(rate)} L/min", "min"
        working.append(f"{figures(litres.value)} L / {plain(rate)} L/min = {written(amount.value, 'min')}")
    else:
        missing.append(
            "How fast it bleeds is not written down: a bucket and a watch at the end of the bleed tell the L/min."
        )
    working += [*likely(amount, kept), *_steady(system, finding, holds)]
    expect = spread(
        lambda v, m, fed: settles_at(system, fed) + (m - settles_at(system, fed)) * math.exp(-litres.value / v),
        volume,
        from_zero(finding.measured),
        holds,
    )
    return named(
        "bleed", title, findings, rank, missing=tuple(missing), working=tuple(working), amount=amount,
        kept=kept, aim=finding.aim, expect=expect,
        why=_down(finding) + _fed(finding, holds.value),
    )._replace(parameter=finding.parameter, unit=finding.unit, form=finding.form)  # fmt: skip


def _litres(
    system: System, volume: Spread, finding: Finding, makeup: Spread | None
) -> tuple[Spread | None, Spread | None]:
    """Return how much is bled for one finding, None where it is never reached; and the make-up."""
    fed, rate, gone = exactly(0.0) if makeup is None else makeup, system.bleed_l_min or 1.0, steams_off(system)
    try:
        litres = spread(
            lambda v, m, f: bleed(v, rate, m, finding.aim, f, gone).litres, volume, from_zero(finding.measured), fed
        )
    except CannotCompute:
        return None, makeup
    return litres, makeup


def steams_off(system: System) -> float:
    """Return how much leaves a system as steam or vapour while its valve bleeds, L/h; 0 where either is not known.

    Of water that boils away about a kilogram is a litre.
    """
    return (system.evaporation_l_h or system.steam_kg_h or 0.0) if system.bleed_l_min else 0.0


def settles_at(system: System, makeup: float) -> float:
    """Return at which level a system settles whose valve bleeds for ever: what steams off is made up, too."""
    bled_l_h = 60 * (system.bleed_l_min or 1.0)
    return makeup * (steams_off(system) + bled_l_h) / bled_l_h


def _how_it_settles(system: System, makeup: float, settles: float) -> list[str]:
    gone = steams_off(system)
    if not gone or not makeup:
        return []
    let_out = f"{plain(60 * (system.bleed_l_min or 1.0))} L/h"
    return [
        f"bled for ever it settles at {plain(makeup)} × ({plain(gone)} + {let_out}) / {let_out} = {figures(settles)}: "
        "what steams off is made up, too"
    ]


def _never(system: System, volume: Spread, finding: Finding) -> str:
    """Say why bleeding never brings a level down to its aim, and what would."""
    makeup = (makeup_of(system, finding) or exactly(0.0)).value
    if makeup >= finding.aim:
        return (
            f"Its supply holds as much {finding.parameter} as it is to come down to: bleeding never gets there. "
            "Look at the supply first."
        )
    bled_l_h = 60 * (system.bleed_l_min or 1.0)
    once = drain_to(volume.value, finding.measured.value, finding.aim, makeup)
    settles = float(figures(settles_at(system, makeup)))
    return (
        f"The valve is too small: at {plain(bled_l_h)} L/h it settles at {level(finding, settles)}, "
        f"for {plain(steams_off(system))} L/h steam off and are made up. {level(finding, finding.aim)} wants "
        f"{figures(steams_off(system) / (finding.aim / makeup - 1))} L/h bled all the time; {figures(once)} L drained "
        "and filled up brings it there for a while."
    )


def _steady(system: System, finding: Finding, makeup: Spread) -> list[str]:
    """Say how much is bled all the time to hold the aim, where that can be told."""
    if makeup.value <= 0 or finding.aim <= makeup.value:
        return []
    if system.kind == "boiler":
        percent, cycles = boiler_blowdown(makeup.value, finding.aim)
        share = (
            f"to hold it there: {plain(makeup.value)} / {plain(finding.aim)} = {figures(percent)} % of the feed bled"
        )
        if system.steam_kg_h is None:
            return [share]
        # Of water that boils away about a kilogram is a litre.
        bled_l_h = flows_of_tower(cycles, system.steam_kg_h).blowdown
        return [share, f"at {plain(system.steam_kg_h)} kg/h of steam that is {figures(bled_l_h)} L/h"]
    if system.evaporation_l_h is None:
        return []
    cycles = finding.aim / makeup.value
    flows = flows_of_tower(cycles, system.evaporation_l_h)
    return [
        f"to hold it there: {plain(system.evaporation_l_h)} L/h evaporated / ({plain(cycles)} cycles − 1) "
        f"= {figures(flows.blowdown)} L/h bled"
    ]


def drained(system: System, findings: Sequence[Finding], rank: int) -> Proposal:
    """Propose to drain part of a system and fill it up at once, so that the level comes down to its aim."""
    volume = system.volume
    if volume is None:
        return _without_volume("drain", "Drain part of it: how much, is not known yet", findings, rank)
    proposals = [_drained(system, volume, finding, rank) for finding in findings]
    most = max(proposals, key=lambda each: each.amount.value if each.amount else -1.0)
    if most.amount and _GLYCOL in system.holds:
        most = most._replace(
            title="Drain {amount}, and fill up with premixed glycol as it was",
            why=f"{most.why} Fresh water would wash its frost protection out.",
            cautions=(*most.cautions, _FROST),
        )
    return most._replace(results=tuple(each.result for each in findings))


def _drained(system: System, volume: Spread, finding: Finding, rank: int) -> Proposal:
    makeup = makeup_of(system, finding)
    holds = exactly(0.0) if makeup is None else makeup
    measured = from_zero(finding.measured)
    try:
        litres = spread(lambda v, m, f: drain_to(v, m, finding.aim, f), volume, measured, holds)
    except CannotCompute as error:
        return named("drain", "Draining cannot bring it down", [finding], rank, refused=error.message)
    expect = spread(lambda v, m, f: m - min(litres.value / v, 1.0) * (m - f), volume, measured, holds)
    missing = () if makeup else (
        f"What the fill water holds of {finding.parameter} was not tested: it is taken as none.",
    )  # fmt: skip
    return named(
        "drain", "Drain {amount}, and fill up with fresh water", [finding], rank, amount=litres, aim=finding.aim,
        expect=expect, missing=missing,
        why=_down(finding),
        working=(
            f"{figures(volume.value)} L × ({plain(finding.measured.value)} − {plain(finding.aim)}) / "
            f"({plain(finding.measured.value)} − {plain(holds.value)}) = {figures(litres.value)} L",
            *likely(litres, "L"),
        ),
    )  # fmt: skip


def flushed(system: System, findings: Sequence[Finding], rank: int) -> Proposal:
    """Propose to flush a system that was cleaned: fresh water in and dirty out, until a twentieth is left."""
    volume = system.volume
    if _GLYCOL in system.holds:
        return named(
            "flush", "Then filter it clean beside the loop, or refill it with premixed glycol", findings, rank,
            why="Flushed with water it would lose its frost protection.", cautions=(_FROST,),
        )  # fmt: skip
    if volume is None:
        return _without_volume("flush", "Then flush it until it runs clear", findings, rank)
    litres = spread(lambda v: bleed(v, 1.0, 1.0, FLUSHED_TO)[0], volume)
    return named(
        "flush", "Then flush with {amount} or more, until it runs clear", findings, rank, amount=litres,
        why=f"Fed in and let out at once, that leaves {FLUSHED_TO * 100:g} % of it. Open strainers and low points too.",
        working=(
            f"{figures(volume.value)} L × ln(1 / {FLUSHED_TO:g}) = {figures(litres.value)} L",
            *likely(litres, "L"),
        ),
    )  # fmt: skip


def from_zero(measured: Spread) -> Spread:
    """A level is not below nothing, though its interval may reach there."""
    return Spread(max(measured.value, 0.0), max(measured.low, 0.0), measured.high)


def likely(amount: Spread, kept: Kept) -> list[str]:
    """Say between which amounts the right one lies; nothing where it is not in doubt."""
    if amount.high is None:
        return [f"likely {written(amount.low, kept)} or more"]
    if amount.high <= amount.low * (1 + 1e-9):
        return []
    return [f"likely {written(amount.low, kept)} to {written(amount.high, kept)}, as reading and volume are in doubt"]


def _fed(finding: Finding, makeup: float) -> str:
    """Say what the feed brings; of cycles it brings one, of what nobody tested it is taken to bring nothing."""
    given = makeup > 0 and parameter(finding.parameter).key != _CYCLES
    return f" The feed brings {level(finding, makeup)}." if given else ""


def _down(finding: Finding) -> str:
    return (
        f"{parameter(finding.parameter).title} {level(finding, finding.measured.value)} is to come to "
        f"{level(finding, finding.aim)}."
    )


def _without_volume(by: str, title: str, findings: Sequence[Finding], rank: int) -> Proposal:
    return named(by, title, findings, rank, missing=(NO_VOLUME,))


def named(by: str, title: str, findings: Sequence[Finding], rank: int, **data: object) -> Proposal:
    """Return a proposal about findings by a way, resting on their results; `said` is what else is said of it."""
    first, way = findings[0], ways()[by]
    base = Proposal(
        by, by, rank, 0, title, parameter=first.parameter, unit=first.unit, form=first.form,
        again_hours=way.again_hours, results=tuple(each.result for each in findings),
        why=f"{parameter(first.parameter).title} is {level(first, first.measured.value)}.",
    )  # fmt: skip
    return base._replace(**data)  # type: ignore[arg-type]
