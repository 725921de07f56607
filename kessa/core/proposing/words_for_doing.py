"""What is done by a plan, in words: titles, amounts with their ends, portions."""

from __future__ import annotations

import math
from collections.abc import Sequence

from kessa.core.proposing.plan import Step
from kessa.core.proposing.planned import Planned, amount_between, likely
from kessa.core.proposing.request import CYCLES, SCALING, Product
from kessa.core.proposing.step_lists import legionella_steps
from kessa.core.proposing.words_of_step import Writer, about, cycles_by, disinfect_well, named, side_by_side
from kessa.core.quantities.quantity import plain
from kessa.core.quantities.spread import Spread
from kessa.core.treating.amounts import Kept, figures, level, written
from kessa.core.treating.systems import Proposal

# What takes a level down is done a third at a time.
_THIRDS = 3


def _bled(planned: Planned, step: Step, rest: Sequence[Step]) -> Proposal | None:
    if step.unit == "L/min":
        return named(planned, step, "bleed", "Bleeding cannot bring it down", refused=step.why)
    if step.unit != "L" and any(each.do == "bleed" and each.unit == "L" for each in planned.plan.steps):
        # How it is held stands with how it gets there.
        return None
    amount = amount_between(planned, step)
    if amount is None:
        return None
    if step.unit != "L":
        kept: Kept = "L/h" if step.unit == "L/h" else "kg/h"
        title = f"Hold the {'blowdown' if planned.system.kind == 'boiler' else 'bleed'} at {{amount}}"
        return _with_amount(named(planned, step, "bleed", title, key=f"hold:{step.parameter}"), amount, kept)
    rate, fed = planned.system.bleed_l_min, planned.request.supplied(step.parameter)
    made = named(planned, step, "bleed", "Bleed {amount} at {rate}" if rate else "Bleed {amount}", rate_l_min=rate)
    if len(cycles_by(planned)) > 1:
        made = made._replace(working=(side_by_side(planned), *made.working))
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
    made = _with_amount(named(planned, step, "drain", title), amount, "L")
    fed = planned.request.supplied(step.parameter)
    if fed is None and step.parameter != "glycol":
        unknown = f"What the fill water holds of {about(step, planned.asking(step))} was not tested: taken as none."
        made = made._replace(missing=(*made.missing, unknown))
    return made


def _flushed(planned: Planned, step: Step, rest: Sequence[Step]) -> Proposal | None:
    amount = amount_between(planned, step)
    if amount is None:
        return None
    title = "Then flush with {amount} or more, until it runs clear"
    why = "Fed in and let out at once, that leaves 5 % of it. Open strainers and low points too."
    return _with_amount(named(planned, step, "flush", title, why=why), amount, "L")


def _refilled(planned: Planned, step: Step, rest: Sequence[Step]) -> Proposal | None:
    if any(each.do == "drain" for each in planned.plan.steps):
        return None
    title = "Then filter it clean beside the loop, or refill it with premixed glycol"
    return named(planned, step, "flush", title, why="Flushed with water it would lose its frost protection.")


def _dosed(planned: Planned, step: Step, rest: Sequence[Step]) -> Proposal | None:
    amount, product = amount_between(planned, step), planned.product(step.product)
    if amount is None or product is None:
        return None
    out, name = planned.out(step.parameter), about(step, planned.asking(step))
    if step.unit.endswith("/h"):
        kept: Kept = "L/h" if step.unit == "L/h" else "kg/h"
        how = "Turn the dosing pump up by" if planned.system.kind == "supply" else "Feed"
        title = f"{how} {{amount}} of {product.name}"
        return _with_amount(named(planned, step, "dose", title, key=f"feed:{name}"), amount, kept)
    if step.unit == "mL":
        amount = _divided(amount, 1000)
    by, verb = ("lower", "Take it down with") if out and out.side == "high" else ("dose", "Dose")
    if step.parameter == SCALING:
        by, verb, name = "hold scale", "Hold the scale:", ""
    made = named(planned, step, by, f"{verb} {{amount}} of {product.name}", key=f"{by}:{name}".removesuffix(":"))
    volume, after = planned.system.volume, planned.plan.left_after if by == "dose" else ""
    if volume and made.aim is not None:
        made = made._replace(why=f"{made.why.removesuffix('.')} in {figures(volume.value)} L{after}.")
    return _in_portions(planned, product, made, amount, least=_THIRDS if by == "lower" else 1)


def _cleaned(planned: Planned, step: Step, rest: Sequence[Step]) -> Proposal | None:
    amount, product = amount_between(planned, step), planned.product(step.product)
    if product is None:
        return None
    made = named(planned, step, "clean", f"Clean it first: {{amount}} of {product.name}")
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
        made = disinfect_well(planned, step, f" with {{amount}} of {product.name}", dose)
        return _in_portions(planned, product, made, amount, least=1)
    hours = f", held for {plain(step.contact_h)} h" if step.contact_h else ", held as long as its label says"
    shut = ", the bleed shut" if step.bleed else ""
    title = f"Kill the bacteria: {{amount}} of {product.name} at once{hours}{shut}"
    made = named(planned, step, "biocide", title)
    return _in_portions(planned, product, made, amount, least=1)


def _regenerated(planned: Planned, step: Step, rest: Sequence[Step]) -> Proposal:
    title = "Regenerate the softener by its sheet; if it does not hold, have it serviced"
    name, due = about(step, planned.asking(step)), planned.plan.figures.get("due-days-ago")
    made = named(planned, step, "regenerate", title, key=f"regenerate:{name}", due_days_ago=due)
    return _taking(planned, step, made, f"{title}. It takes {{amount}} of salt", "kg")


def _backwashed(planned: Planned, step: Step, rest: Sequence[Step]) -> Proposal:
    title, due = "Backwash the filter, or change what is in it", planned.plan.figures.get("due-days-ago")
    made = named(planned, step, "backwash", title, due_days_ago=due)
    return _taking(planned, step, made, f"{title}. It takes {{amount}} of water", "L")


def _filled_up(planned: Planned, step: Step, rest: Sequence[Step]) -> Proposal:
    title = "Order, and fill up the tank"
    return _taking(planned, step, named(planned, step, "refill", title), f"{title}: {{amount}} go in", "L")


def _taking(planned: Planned, step: Step, made: Proposal, title: str, kept: Kept) -> Proposal:
    """Let a proposal say in its title how much it takes, where that is known."""
    amount = amount_between(planned, step)
    return made if amount is None else _with_amount(made._replace(title=title), amount, kept)


def _leak(planned: Planned, step: Step, rest: Sequence[Step]) -> Proposal:
    titles = {
        "condensate-leak": "Look for the exchanger that lets water into the condensate",
        "made-up": "Look for the leak: more is made up than a tight loop needs",
    }
    title = next(
        (titles[code] for code in step.codes if code in titles), "Look for a leak before anything is put back in"
    )
    return named(planned, step, "look", title, key="look:leak")


def _eaten(planned: Planned, step: Step, rest: Sequence[Step]) -> Proposal:
    name = about(step, planned.asking(step))
    title = f"Look for bacteria that eat the {name}: a dip slide, and ammonia"
    return named(planned, step, "look", title, key="look:bacteria")


def _laboratory(planned: Planned, step: Step, rest: Sequence[Step]) -> Proposal | None:
    if planned.system.water == "drinking":
        # The list that comes before says so.
        return None
    what = "Legionella" if step.parameter == "legionella" else "bacteria"
    title = f"Have a laboratory look for {what}, drawn before anything kills them"
    steps = legionella_steps(many="fans-off" in planned.plan.says) if what == "Legionella" else ()
    return named(planned, step, "look", title, key=f"laboratory:{what}", steps=steps)


DOING: dict[str, Writer] = {
    "bleed": _bled,
    "drain": _drained,
    "flush": lambda planned, step, rest: _flushed(planned, step, rest) if planned.system.water == "plant" else None,
    "refill-premixed": _refilled,
    "dose": _dosed,
    "clean": _cleaned,
    "biocide": _killed,
    "disinfect": _killed,
    "regenerate": _regenerated,
    "backwash": _backwashed,
    "refill": _filled_up,
    "look-for-leak": _leak,
    "look-for-bacteria": _eaten,
    "laboratory": _laboratory,
}
