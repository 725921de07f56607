"""A step of a plan as a proposal: about what it is, why, and how grave."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from kessa.core.proposing.plan import Step
from kessa.core.proposing.planned import Planned
from kessa.core.proposing.step_lists import well_steps
from kessa.core.quantities.parameters import parameter
from kessa.core.treating.amounts import figures, level
from kessa.core.treating.systems import Finding, Proposal, System
from kessa.core.treating.ways import rank_of, ways

# How grave it is where all lies inside and something is wrong all the same: what was put in is lost.
_LOST_RANK = 3

# Writes a step, of which it knows the steps after it; nothing where it stands with another.
Writer = Callable[[Planned, Step, Sequence[Step]], Proposal | None]


def named(planned: Planned, step: Step, by: str, title: str, **data: Any) -> Proposal:
    """Return a proposal by a way about what asks for a step, resting on those results."""
    findings = planned.asking(step)
    first = findings[0]
    held = planned.held(step.product)
    aimed = step.aim is not None and planned.out(step.parameter) is not None
    why = f"{parameter(first.parameter).title} {level(first, first.measured.value)} is to come to " if aimed else (
        f"{parameter(first.parameter).title} is {level(first, first.measured.value)}." if first.unit != "presence"
        else f"{parameter(first.parameter).title} found."
    )  # fmt: skip
    base = Proposal(
        by, by, rank_for(planned.system, first), 0, title, parameter=first.parameter, unit=first.unit, form=first.form,
        again_hours=ways()[by].again_hours, results=tuple(each.result for each in findings),
        why=why + (f"{level(first, step.aim or 0.0)}." if aimed else ""), working=step.working, aim=step.aim,
        product=held.key if held else None,
    )  # fmt: skip
    return base._replace(**data)


def rank_for(system: System, finding: Finding) -> int:
    """Return how grave a finding is; of one that lies inside, how grave it is that something is wrong all the same."""
    return rank_of(system.kind, finding.parameter, finding.side) if finding.side else _LOST_RANK


def about(step: Step, findings: Sequence[Finding]) -> str:
    """Return what a step is about, by its usual name."""
    return parameter(findings[0].parameter).key if findings else step.parameter


def disinfect_well(
    planned: Planned, step: Step, how: str = "", dose: str = "", missing: tuple[str, ...] = ()
) -> Proposal:
    """Write how a well is disinfected: its list, with how much of what where that is known."""
    steps = well_steps(dose, planned.plan.figures.get("shock-least-mg-l"))
    made = named(planned, step, "disinfect", f"Disinfect the well{how}, flush it, and have it tested")
    germ = parameter(made.parameter).title
    why = f"{germ} found. First look how it gets in: cover, cap, lining, flood, a drain too near."
    return made._replace(why=why, steps=steps, missing=missing)


def cycles_by(planned: Planned) -> dict[str, float]:
    """Return how often the water is concentrated, by what that is told."""
    figures_of = planned.plan.figures.items()
    return {name[3:].replace("-", " "): value for name, value in figures_of if name.startswith("by-")}


def side_by_side(planned: Planned) -> str:
    """Say how often the water is concentrated by each measure; nothing where none tells."""
    by = ", ".join(f"by {name} {figures(value)}" for name, value in cycles_by(planned).items())
    return by and f"cycles of concentration {by}"
