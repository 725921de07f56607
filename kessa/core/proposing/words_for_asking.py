"""What a plan asks, refuses or wants looked at, in words."""

from __future__ import annotations

from collections.abc import Sequence

from kessa.core.proposing.bacteria import NOTHING_KILLS
from kessa.core.proposing.doses import NOTHING_HOLDS_SCALE
from kessa.core.proposing.drinking import GERMS, NO_BLEACH
from kessa.core.proposing.loops import NOTHING_CLEANS
from kessa.core.proposing.plan import NO_VOLUME, NOTHING_LOWERS, NOTHING_RAISES, Step
from kessa.core.proposing.planned import Planned
from kessa.core.proposing.refusals import CLOSED
from kessa.core.proposing.request import SCALING
from kessa.core.proposing.words_of_step import (
    Writer,
    about,
    cycles_by,
    disinfect_well,
    named,
    rank_for,
    side_by_side,
)
from kessa.core.quantities.parameters import parameter
from kessa.core.treating.amounts import figures, level
from kessa.core.treating.systems import Finding, Proposal, System
from kessa.core.treating.ways import LEAST_GRAVE, ways

_VOLUME_MISSING = (
    "How much the system holds is not written down: from its plate or drawing, from its pipes, radiators and vessels, "
    "or from a known weight of salt put in. The place's page works it out."
)
_WELL_MISSING = "How much water stands in it: the well's depth less the depth to its water, and its bore."
_NO_BLEACH = (
    "No product of the team may raise free chlorine so far in drinking water: plain bleach without scent does, whose "
    "label says that it is approved for it."
)
# How grave it is that measures of the cycles do not agree.
_SCALE_RANK = 4


def _refused(planned: Planned, step: Step, rest: Sequence[Step]) -> Proposal:
    by, key = _way_for(planned, step)
    title = f"Not {step.product}: it must not go in here"
    return named(planned, step, by, title, key=key, refused=step.why, product=None)


def _way_for(planned: Planned, step: Step) -> tuple[str, str]:
    """Return by which way something would have been done about what a step is about, and its key."""
    out, name = planned.out(step.parameter), about(step, planned.asking(step))
    if step.parameter in GERMS:
        return "disinfect", "disinfect"
    if step.parameter == "bacteria" or step.why == NOTHING_KILLS:
        return "biocide", "biocide"
    if step.parameter == SCALING:
        return "hold scale", "hold scale"
    product = planned.product(step.product)
    if (product and product.cleans) or step.why == NOTHING_CLEANS:
        return "clean", "clean"
    by = "lower" if out and out.side == "high" else "dose"
    return by, f"{by}:{name}"


def _asked(planned: Planned, step: Step, rest: Sequence[Step]) -> Proposal | None:
    """Write what is not known, or asked about; what a limit's own words or nobody knows is looked at."""
    findings = planned.asking(step)
    if not findings or (planned.system.water == "drinking" and not _is_told(step)):
        return None
    name = about(step, findings)
    if "chloramine" in step.codes:
        return _chloraminated(planned, step)
    if "make-up-too-strong" in step.codes:
        return named(planned, step, "bleed", "Bleeding cannot bring it down", refused=f"{_capital(step.why)}.")
    if step.why == NO_VOLUME:
        return _without_volume(planned, step, name)
    return _without_product(planned, step, name) or look_for_cause(
        planned.system, findings[0], why=f"{_capital(step.why)}." if step.why else ""
    )


# What is asked for where nothing on the shelf does it: the title, and what no product does.
_WITHOUT = {
    NOTHING_RAISES: ("Raise {name}", "raises {name}"),
    NOTHING_LOWERS: ("Lower {name}", "lowers {name}"),
    NOTHING_CLEANS: ("Clean it first", "cleans a dirty system"),
    NOTHING_HOLDS_SCALE: ("Hold the scale", "holds scale in solution"),
    NOTHING_KILLS: ("Kill the bacteria", "kills bacteria"),
}


def _without_product(planned: Planned, step: Step, name: str) -> Proposal | None:
    """Write that no product does what is needed; None where nobody sells one, as for what has no grave of its own."""
    if step.why == NO_BLEACH:
        return disinfect_well(planned, step, missing=(_NO_BLEACH,))
    is_dosed = rank_for(planned.system, planned.asking(step)[0]) < LEAST_GRAVE - 1
    if step.why not in _WITHOUT or not is_dosed:
        return None
    title, does = (each.format(name=name) for each in _WITHOUT[step.why])
    by, key = _way_for(planned, step)
    missing = f"No product of the team {does}: write its label down under Products."
    return named(planned, step, by, f"{title}: with which product, is not known yet", key=key, missing=(missing,))


def _is_told(step: Step) -> bool:
    """Whether what is asked about drinking water is about its treatment: of all else a list says what is done."""
    return step.why in (NO_VOLUME, NOTHING_RAISES, NOTHING_LOWERS, NO_BLEACH) or "chloramine" in step.codes


def _without_volume(planned: Planned, step: Step, name: str) -> Proposal:
    if step.parameter in GERMS:
        return disinfect_well(planned, step, missing=(_WELL_MISSING,))
    by, key = _way_for(planned, step)
    out = planned.out(step.parameter)
    if step.product:
        verb = {"clean": "Clean it first with", "hold scale": "Hold the scale with"}.get(by, "Dose")
        unknown = ": how much, is not known yet" if verb == "Dose" else ""
        title = f"{verb} {step.product}{unknown}"
    elif by == "biocide":
        title = "Kill the bacteria: how much it takes, is not known yet"
    elif out and out.side == "high":
        by = key = "drain" if planned.request.system.kind in CLOSED else "bleed"
        title = f"{'Drain part of it' if by == 'drain' else 'Bleed'}: how much, is not known yet"
    else:
        title = f"{'Swap some of it' if name == 'glycol' else f'Raise {name}'}: how much, is not known yet"
    return named(planned, step, by, title, key=key, missing=(_VOLUME_MISSING,))


def _chloraminated(planned: Planned, step: Step) -> Proposal:
    """Write the question whether a supply is chloraminated, with the chlorine that its combined chlorine would use."""
    combined = planned.plan.figures.get("combined-mg-l")
    working = () if combined is None else (
        f"where it is not: up to the breakpoint {figures(combined)} × 0.5 to 1 = {figures(combined / 2)} to "
        f"{figures(combined)} mg/L of chlorine are used up before any free chlorine stands",
        "then what is to stand free on top: who runs the supply decides, and tests free and total after",
    )  # fmt: skip
    seen = "" if combined is None else f"Combined chlorine is {figures(combined)} mg/L. "
    return named(
        planned, step, "look", "Ask whether this supply is chloraminated, before anything is dosed",
        key="ask:chloramines", working=working,
        why=f"{seen}Where ammonia is added on purpose, little free chlorine is as it should be, and none is added: "
        "the total is what counts.",
    )  # fmt: skip


def _capital(words: str) -> str:
    return words[:1].upper() + words[1:]


def look_for_cause(system: System, finding: Finding, why: str = "", missing: str = "") -> Proposal:
    """Propose to look for the cause, in the limit's own words."""
    name = parameter(finding.parameter)
    wrong = f"{name.title} too {finding.side}" if finding.side else name.title
    title = finding.words.removesuffix(".") or f"{wrong}: look for the cause"
    found = f"{name.title} is {level(finding, finding.measured.value)}."
    return Proposal(
        f"look:{name.key}", "look", rank_for(system, finding), 0, title, parameter=finding.parameter, unit=finding.unit,
        form=finding.form, again_hours=ways()["look"].again_hours, results=(finding.result,),
        why=f"{found} {why}".strip(), missing=(missing,) if missing else (),
    )  # fmt: skip


# Where measures of the cycles do not agree: by code what is done, and of what is counted how much, by which figures.
_DIFFER = (
    ("scale", "Scale is falling out: look where, and hold it in solution", "Fell out", "fell-out-"),
    ("chloride-from-bleach", "Bleach brings chloride: do not take the cycles by it", "Fed", "chloride-fed"),
    (
        "chloride-from-elsewhere",
        "More chloride is there than the make-up brings: look for acid, brine of a softener, or a wrong reading",
        "Fed", "chloride-fed",
    ),
    ("make-up-differs", "Test the make-up water again: what was found here did not come with it as tested", "", ""),
)  # fmt: skip


def cycles_that_differ(planned: Planned) -> list[Proposal]:
    """Propose to look where measures of the cycles of concentration do not agree."""
    plan, by, made = planned.plan, cycles_by(planned), []
    for code, title, counted, prefix in (each for each in _DIFFER if each[0] in plan.says):
        amounts = {
            name.removeprefix(prefix).removesuffix("-mg-l").replace("-", " ") or "chloride": f"{figures(value)} mg/L"
            for name, value in plan.figures.items() if prefix and name.startswith(prefix)
        }  # fmt: skip
        of_each = ", ".join(f"{name} {amount}" for name, amount in amounts.items())
        step = Step("look", parameter=next((name for name in (*amounts, *by) if name in planned.findings), ""))
        why = f"{_capital(side_by_side(planned))}." + (f" {counted}: {of_each}." if amounts else "")
        made.append(named(planned, step, "look", title, key=f"look:{code}", why=why, rank=_SCALE_RANK))
    return made


ASKING: dict[str, Writer] = {"refuse": _refused, "ask": _asked}
