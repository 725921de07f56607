"""The steps of a plan in words: titles, why, how they were worked out, what is missing and what refused."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from pathlib import Path
from string import Formatter
from typing import Any, Literal

from kessa.core.checked import Checked
from kessa.core.datafile import data_file, read_toml
from kessa.core.proposing.bacteria import NOTHING_KILLS
from kessa.core.proposing.doses import NOTHING_HOLDS_SCALE
from kessa.core.proposing.drinking import NO_BLEACH
from kessa.core.proposing.loops import NOTHING_CLEANS
from kessa.core.proposing.plan import NO_VOLUME, NOTHING_LOWERS, NOTHING_RAISES, Step
from kessa.core.proposing.planned import Planned, amount_between, likely
from kessa.core.proposing.refusals import CLOSED
from kessa.core.proposing.request import CYCLES, SCALING, Product
from kessa.core.proposing.step_lists import legionella_steps, well_steps
from kessa.core.quantities.parameters import parameter
from kessa.core.quantities.quantity import plain
from kessa.core.quantities.spread import Spread
from kessa.core.treating.amounts import Kept, figures, level, written
from kessa.core.treating.systems import Finding, Proposal, System
from kessa.core.treating.ways import LEAST_GRAVE, rank_of, ways

_VOLUME_MISSING = (
    "How much the system holds is not written down: from its plate or drawing, from its pipes, radiators and vessels, "
    "or from a known weight of salt put in. The place's page works it out."
)
_WELL_MISSING = "How much water stands in it: the well's depth less the depth to its water, and its bore."
_NO_BLEACH = (
    "No product of the team may raise free chlorine so far in drinking water: plain bleach without scent does, whose "
    "label says that it is approved for it."
)
# How grave it is that measures of the cycles do not agree; and what is wrong although all lies inside.
_SCALE_RANK, _LOST_RANK = 4, 3
# What takes a level down is done a third at a time.
_THIRDS = 3


class _Said(Checked):
    """What a code says in words, and where it stands."""

    code: str
    shown: Literal["why", "caution", "missing", "refused", "working"]
    words: tuple[str, ...]


class _Sayings(Checked):
    says: tuple[_Said, ...]


@data_file
def _says() -> dict[str, _Said]:
    return {each.code: each for each in read_toml(Path(__file__).with_name("says.toml"), _Sayings).says}


def in_words(planned: Planned) -> list[Proposal]:
    """Return the steps of a plan as proposals, in their order; what only goes with another stands in that."""
    made = []
    for n, step in enumerate(planned.plan.steps):
        write = _WRITERS.get(step.do)
        found = write(planned, step, planned.plan.steps[n + 1 :]) if write else None
        if found:
            made.append(_with_codes(planned, step, found))
    told: set[str] = set()
    for n, each in enumerate(made):
        # A limit's own words stand with the first thing that is done about it.
        words = next((found.words for found in planned.findings.values() if found.result in each.results), "")
        if words and words not in told and words.removesuffix(".") != each.title:
            made[n] = each._replace(why=f"{each.why} {words}")
            told.add(words)
    # A sample for the laboratory is drawn before anything kills what it looks for.
    made.sort(key=lambda each: not each.key.startswith("laboratory:"))
    return [*made, *_cycles_that_differ(planned)]


def _named(planned: Planned, step: Step, by: str, title: str, **data: Any) -> Proposal:
    """Return a proposal by a way about what asks for a step, resting on those results."""
    findings = planned.asking(step)
    first = findings[0]
    held = planned.held(step.product)
    aimed = step.aim is not None and planned.out(step.parameter) is not None
    why = f"{parameter(first.parameter).title} {level(first, first.measured.value)} is to come to " if aimed else (
        f"{parameter(first.parameter).title} is {level(first, first.measured.value)}." if first.unit != "presence"
        else f"{first.parameter} found."
    )  # fmt: skip
    base = Proposal(
        by, by, _rank(planned.system, first), 0, title, parameter=first.parameter, unit=first.unit, form=first.form,
        again_hours=ways()[by].again_hours, results=tuple(each.result for each in findings),
        why=why + (f"{level(first, step.aim or 0.0)}." if aimed else ""), working=step.working, aim=step.aim,
        product=held.key if held else None,
    )  # fmt: skip
    return base._replace(**data)


def _rank(system: System, finding: Finding) -> int:
    return rank_of(system.kind, finding.parameter, finding.side) if finding.side else _LOST_RANK


def _with_codes(planned: Planned, step: Step, made: Proposal) -> Proposal:
    """Let a proposal say what has to be said with its step."""
    numbers = {name: f"{value:.1f}" if name.endswith("-c") else figures(value)
               for name, value in planned.plan.figures.items() if value >= 0 or name.endswith("-c")}  # fmt: skip
    numbers["parameter"] = parameter(made.parameter).key
    said: dict[str, list[str]] = {"why": [], "caution": [], "missing": [], "refused": [], "working": []}
    for code in step.codes:
        row = _says().get(code)
        # Where it is asked whether ammonia is added on purpose, nothing is dosed yet.
        if row and not (code == "breakpoint" and step.do == "ask"):
            # What names a figure that nobody has is left unsaid.
            said[row.shown] += [each.format_map(numbers) for each in row.words if _named_in(each) <= numbers.keys()]
    return made._replace(
        why=" ".join((made.why, *said["why"])),
        cautions=(*made.cautions, *said["caution"]),
        missing=(*made.missing, *said["missing"]),
        refused=" ".join(filter(None, (made.refused, *said["refused"]))),
        working=(*made.working, *said["working"]),
    )


def _named_in(words: str) -> set[str]:
    return {name for _, name, _, _ in Formatter().parse(words) if name}


def _about(step: Step, findings: Sequence[Finding]) -> str:
    return parameter(findings[0].parameter).key if findings else step.parameter


def _bled(planned: Planned, step: Step, rest: Sequence[Step]) -> Proposal | None:
    if step.unit == "L/min":
        return _named(planned, step, "bleed", "Bleeding cannot bring it down", refused=step.why)
    if step.unit != "L" and any(each.do == "bleed" and each.unit == "L" for each in planned.plan.steps):
        # How it is held stands with how it gets there.
        return None
    amount = amount_between(planned, step)
    if amount is None:
        return None
    if step.unit != "L":
        kept: Kept = "L/h" if step.unit == "L/h" else "kg/h"
        title = f"Hold the {'blowdown' if planned.system.kind == 'boiler' else 'bleed'} at {{amount}}"
        return _with_amount(_named(planned, step, "bleed", title, key=f"hold:{step.parameter}"), amount, kept)
    rate, fed = planned.system.bleed_l_min, planned.request.supplied(step.parameter)
    made = _named(planned, step, "bleed", "Bleed {amount} at {rate}" if rate else "Bleed {amount}", rate_l_min=rate)
    if fed and step.parameter != CYCLES:
        made = made._replace(why=f"{made.why} The feed brings {level(planned.asking(step)[0], fed)}.")
    if not rate:
        return _with_amount(made, amount, "L")
    return _with_amount(made, _divided(amount, rate), "min")


def _divided(amount: Spread, by: float) -> Spread:
    return Spread(amount.value / by, amount.low / by, None if amount.high is None else amount.high / by)


def _with_amount(made: Proposal, amount: Spread, kept: Kept) -> Proposal:
    # How to hold it comes last, after how it gets there.
    lines = list(made.working)
    last = [lines.pop()] if lines and lines[-1].startswith("to hold it there") else []
    return made._replace(amount=amount, kept=kept, working=(*lines, *likely(amount, kept), *last))


def _drained(planned: Planned, step: Step, rest: Sequence[Step]) -> Proposal | None:
    amount = amount_between(planned, step)
    if amount is None:
        return None
    after = next((each.do for each in rest if each.do in ("refill-premixed", "refill-water", "dose")), "")
    title = {
        "refill-premixed": "Drain {amount}, and fill up with premixed glycol as it was",
        "dose": "Drain {amount}, to make room",
    }.get(after, "Drain {amount}, and fill up with fresh water")
    made = _with_amount(_named(planned, step, "drain", title), amount, "L")
    fed = planned.request.supplied(step.parameter)
    if fed is None and step.parameter != "glycol":
        unknown = f"What the fill water holds of {_about(step, planned.asking(step))} was not tested: taken as none."
        made = made._replace(missing=(*made.missing, unknown))
    return made


def _flushed(planned: Planned, step: Step, rest: Sequence[Step]) -> Proposal | None:
    amount = amount_between(planned, step)
    if amount is None:
        return None
    title = "Then flush with {amount} or more, until it runs clear"
    why = "Fed in and let out at once, that leaves 5 % of it. Open strainers and low points too."
    return _with_amount(_named(planned, step, "flush", title, why=why), amount, "L")


def _refilled(planned: Planned, step: Step, rest: Sequence[Step]) -> Proposal | None:
    if any(each.do == "drain" for each in planned.plan.steps):
        return None
    title = "Then filter it clean beside the loop, or refill it with premixed glycol"
    return _named(planned, step, "flush", title, why="Flushed with water it would lose its frost protection.")


def _dosed(planned: Planned, step: Step, rest: Sequence[Step]) -> Proposal | None:
    amount, product = amount_between(planned, step), planned.product(step.product)
    if amount is None or product is None:
        return None
    out, name = planned.out(step.parameter), _about(step, planned.asking(step))
    if step.unit.endswith("/h"):
        kept: Kept = "L/h" if step.unit == "L/h" else "kg/h"
        title = f"Feed {{amount}} of {product.name}"
        return _with_amount(_named(planned, step, "dose", title, key=f"feed:{name}"), amount, kept)
    if step.unit == "mL":
        amount = _divided(amount, 1000)
    by, verb = ("lower", "Take it down with") if out and out.side == "high" else ("dose", "Dose")
    if step.parameter == SCALING:
        by, verb, name = "hold scale", "Hold the scale:", ""
    made = _named(planned, step, by, f"{verb} {{amount}} of {product.name}", key=f"{by}:{name}".removesuffix(":"))
    volume, after = planned.system.volume, planned.plan.left_after if by == "dose" else ""
    if volume and made.aim is not None:
        made = made._replace(why=f"{made.why.removesuffix('.')} in {figures(volume.value)} L{after}.")
    return _in_portions(planned, product, made, amount, least=_THIRDS if by == "lower" else 1)


def _cleaned(planned: Planned, step: Step, rest: Sequence[Step]) -> Proposal | None:
    amount, product = amount_between(planned, step), planned.product(step.product)
    if product is None:
        return None
    made = _named(planned, step, "clean", f"Clean it first: {{amount}} of {product.name}")
    if amount is None:
        return made._replace(title=f"Clean it first with {product.name}, by its label")
    return _in_portions(planned, product, made, amount, least=1)


def _in_portions(planned: Planned, product: Product, made: Proposal, amount: Spread, least: int) -> Proposal:
    """Part an amount so that no portion is above the label's most, taken for the smallest the system may be."""
    notes, portions = likely(amount, product.unit), least
    most = product.said_most_at_once
    if planned.system.volume and most:
        at_once = most * planned.system.volume.low / 1000
        portions = max(portions, math.ceil(amount.value / at_once - 1e-9))
        notes.append(f"label allows {written(at_once, product.unit, down=True)} at once")
    if portions > 1:
        notes.append(f"{portions} portions, {plain(product.hours_between)} h apart, tested between")
    if product.stock is not None and product.stock < amount.value:
        notes.append(f"only {written(product.stock, product.unit)} of it is left: order more")
    return made._replace(
        title=made.title + ("" if portions == 1 else f", in {portions} portions of {{portion}}"),
        amount=amount, kept=product.unit, portions=portions,
        hours_between=product.hours_between if portions > 1 else 0.0, working=(*made.working, *notes),
    )  # fmt: skip


def _killed(planned: Planned, step: Step, rest: Sequence[Step]) -> Proposal | None:
    """Write a slug of what kills bacteria; of a well, the list of what is done in which order."""
    amount, product = amount_between(planned, step), planned.product(step.product)
    if amount is None or product is None:
        return None
    if planned.system.water == "drinking":
        dose = f"{written(amount.value, product.unit, down=True)} of {product.name}"
        made = _well(planned, step, f" with {{amount}} of {product.name}", dose)
        return _in_portions(planned, product, made, amount, least=1)
    hours = f", held for {plain(step.contact_h)} h" if step.contact_h else ", held as long as its label says"
    shut = ", the bleed shut" if step.bleed else ""
    title = f"Kill the bacteria: {{amount}} of {product.name} at once{hours}{shut}"
    made = _named(planned, step, "biocide", title)
    return _in_portions(planned, product, made, amount, least=1)


def _well(planned: Planned, step: Step, how: str = "", dose: str = "", missing: tuple[str, ...] = ()) -> Proposal:
    """Write how a well is disinfected: its list, with how much of what where that is known."""
    steps = well_steps(dose, planned.plan.figures.get("shock-least-mg-l"))
    made = _named(planned, step, "disinfect", f"Disinfect the well{how}, flush it, and have it tested")
    why = f"{made.parameter} found. First look how it gets in: cover, cap, lining, flood, a drain too near."
    return made._replace(why=why, steps=steps, missing=missing)


def _regenerated(planned: Planned, step: Step, rest: Sequence[Step]) -> Proposal:
    title = "Regenerate the softener by its sheet; if it does not hold, have it serviced"
    name = _about(step, planned.asking(step))
    due = planned.plan.figures.get("due-days-ago") if "due" in step.codes else None
    made = _named(planned, step, "regenerate", title, key=f"regenerate:{name}", due_days_ago=due)
    salt = amount_between(planned, step)
    return made if salt is None else made._replace(
        title=f"{title}. It takes {{amount}} of salt", amount=salt, kept="kg"
    )  # fmt: skip


def _leak(planned: Planned, step: Step, rest: Sequence[Step]) -> Proposal:
    title = "Look for a leak before anything is put back in"
    return _named(planned, step, "look", title, key="look:leak")


def _eaten(planned: Planned, step: Step, rest: Sequence[Step]) -> Proposal:
    name = _about(step, planned.asking(step))
    title = f"Look for bacteria that eat the {name}: a dip slide, and ammonia"
    return _named(planned, step, "look", title, key="look:bacteria")


def _laboratory(planned: Planned, step: Step, rest: Sequence[Step]) -> Proposal | None:
    if planned.system.water == "drinking":
        # The list that comes before says so.
        return None
    what = "Legionella" if step.parameter == "legionella" else "bacteria"
    title = f"Have a laboratory look for {what}, drawn before anything kills them"
    steps = legionella_steps(many="fans-off" in planned.plan.says) if what == "Legionella" else ()
    return _named(planned, step, "look", title, key=f"laboratory:{what}", steps=steps)


def _refused(planned: Planned, step: Step, rest: Sequence[Step]) -> Proposal:
    by, key = _way_for(planned, step)
    title = f"Not {step.product}: it must not go in here"
    return _named(planned, step, by, title, key=key, refused=step.why, product=None)


def _way_for(planned: Planned, step: Step) -> tuple[str, str]:
    """Return by which way something would have been done about what a step is about, and its key."""
    out, name = planned.out(step.parameter), _about(step, planned.asking(step))
    if step.parameter == "E. coli":
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
    name = _about(step, findings)
    if "chloramine" in step.codes:
        return _chloraminated(planned, step)
    if "make-up-too-strong" in step.codes:
        return _named(planned, step, "bleed", "Bleeding cannot bring it down", refused=f"{_capital(step.why)}.")
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
        return _well(planned, step, missing=(_NO_BLEACH,))
    is_dosed = _rank(planned.system, planned.asking(step)[0]) < LEAST_GRAVE - 1
    if step.why not in _WITHOUT or not is_dosed:
        return None
    title, does = (each.format(name=name) for each in _WITHOUT[step.why])
    by, key = _way_for(planned, step)
    missing = f"No product of the team {does}: write its label down under Products."
    return _named(planned, step, by, f"{title}: with which product, is not known yet", key=key, missing=(missing,))


def _is_told(step: Step) -> bool:
    """Whether what is asked about drinking water is about its treatment: of all else a list says what is done."""
    return step.why in (NO_VOLUME, NOTHING_RAISES, NOTHING_LOWERS, NO_BLEACH) or "chloramine" in step.codes


def _without_volume(planned: Planned, step: Step, name: str) -> Proposal:
    if step.parameter == "E. coli":
        return _well(planned, step, missing=(_WELL_MISSING,))
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
    return _named(planned, step, by, title, key=key, missing=(_VOLUME_MISSING,))


def _chloraminated(planned: Planned, step: Step) -> Proposal:
    """Write the question whether a supply is chloraminated, with the chlorine that its combined chlorine would use."""
    combined = planned.plan.figures.get("combined-mg-l")
    working = () if combined is None else (
        f"where it is not: up to the breakpoint {figures(combined)} × 0.5 to 1 = {figures(combined / 2)} to "
        f"{figures(combined)} mg/L of chlorine are used up before any free chlorine stands",
        "then what is to stand free on top: who runs the supply decides, and tests free and total after",
    )  # fmt: skip
    seen = "" if combined is None else f"Combined chlorine is {figures(combined)} mg/L. "
    return _named(
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
    title = finding.words.removesuffix(".") or f"{name.title} too {finding.side}: look for the cause"
    found = f"{name.title} is {level(finding, finding.measured.value)}."
    return Proposal(
        f"look:{name.key}", "look", _rank(system, finding), 0, title, parameter=finding.parameter, unit=finding.unit,
        form=finding.form, again_hours=ways()["look"].again_hours, results=(finding.result,),
        why=f"{found} {why}".strip(), missing=(missing,) if missing else (),
    )  # fmt: skip


def _cycles_that_differ(planned: Planned) -> list[Proposal]:
    """Propose to look where measures of the cycles of concentration do not agree."""
    plan = planned.plan
    by = {name[3:].replace("-", " "): value for name, value in plan.figures.items() if name.startswith("by-")}
    side_by_side = ", ".join(f"by {name} {figures(value)}" for name, value in by.items())
    made = []
    for code, title, fallen in (
        ("scale", "Scale is falling out: look where, and hold it in solution", "fell-out-"),
        ("chloride-from-bleach", "Bleach brings chloride: do not take the cycles by it", "chloride-fed"),
    ):
        if code not in plan.says:
            continue
        amounts = [
            f"{name.removeprefix(fallen).removesuffix('-mg-l').replace('-', ' ') or 'chloride'} {figures(value)} mg/L"
            for name, value in plan.figures.items() if name.startswith(fallen)
        ]  # fmt: skip
        names = [name.removeprefix(fallen).removesuffix("-mg-l").replace("-", " ") for name in plan.figures]
        about = next((name for name in names if name in planned.findings), "chloride")
        step = Step("look", parameter=about)
        went = "Fell out" if code == "scale" else "Fed"
        why = f"Cycles of concentration {side_by_side}. {went}: {', '.join(amounts)}."
        made.append(_named(planned, step, "look", title, key=f"look:{code}", why=why, rank=_SCALE_RANK))
    return made


_Writer = Callable[[Planned, Step, Sequence[Step]], Proposal | None]
_WRITERS: dict[str, _Writer] = {
    "bleed": _bled,
    "drain": _drained,
    "flush": lambda planned, step, rest: _flushed(planned, step, rest) if planned.system.water == "plant" else None,
    "refill-premixed": _refilled,
    "dose": _dosed,
    "clean": _cleaned,
    "biocide": _killed,
    "disinfect": _killed,
    "regenerate": _regenerated,
    "look-for-leak": _leak,
    "look-for-bacteria": _eaten,
    "laboratory": _laboratory,
    "refuse": _refused,
    "ask": _asked,
}
