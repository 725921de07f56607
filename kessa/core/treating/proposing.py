"""What to do at a place, worked out from what was found there: in the order in which it is done."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence

from kessa.core.quantities.parameters import parameter
from kessa.core.quantities.spread import exactly, spread
from kessa.core.treating.disinfecting import shock
from kessa.core.treating.lowering import FLUSHED_TO, bled, drained, flushed, level, named
from kessa.core.treating.mixing import never_meets
from kessa.core.treating.products import RAISES
from kessa.core.treating.raising import Before, asked_first, by_label, dosed
from kessa.core.treating.systems import Finding, Proposal, System
from kessa.core.treating.ways import treatment_of, ways

# In the order in which it is done: what takes water away comes before what is put in, cleaning before both.
_BEFORE_A_DOSE = ("disinfect", "clean", "bleed", "drain", "regenerate", "look", "lower", "hold scale")
_DISINFECTANTS = ("free chlorine", "total chlorine")
_BY_AMOUNT = ("bleed", "drain", "lower", "dose")


def proposals(
    system: System, findings: Sequence[Finding], ticked: Proposal | None = None, combined: float | None = None
) -> list[Proposal]:
    """Return what to do about findings of one place, in the order in which it is done.

    Of findings those that are inside too, for what is dosed anew after a flush; the most urgent stand first. `ticked`
    is the list of what people do and whom they tell (see lists.list_of), which comes before all else; `combined` the
    combined chlorine (mg/L as Cl2) of a supply that may be chloraminated.
    """
    out = [each for each in findings if each.side]
    by_way: dict[str, list[tuple[int, Finding]]] = {}
    for each in out:
        way, rank = treatment_of(system.kind, each.parameter, each.side)
        if way in _BY_AMOUNT and not each.has_way_to_go:
            way = "look"
        # Where people drink it or fish live in it, and of germs, a list says what is done; what else could be is only
        # looked at.
        if way != "look" or (system.water == "plant" and each.side != "present"):
            by_way.setdefault(way, []).append((rank, each))
    found = _each_once([*([ticked] if ticked else []), *_treated(system, findings, by_way, combined)])
    return [
        each._replace(
            position=n,
            cautions=(*each.cautions, *_cautions(each, system), *_kept_apart(each, found[: n - 1], system)),
        )
        for n, each in enumerate(found, 1)
    ]


def _each_once(found: list[Proposal]) -> list[Proposal]:
    """Let what two findings ask for alike be one: the first, resting on the results of both."""
    once: dict[str, Proposal] = {}
    for each in found:
        before = once.get(each.key)
        once[each.key] = before._replace(results=(*before.results, *each.results)) if before else each
    return list(once.values())


def _treated(
    system: System,
    findings: Sequence[Finding],
    by_way: Mapping[str, list[tuple[int, Finding]]],
    combined: float | None,
) -> list[Proposal]:
    made: list[Proposal] = []
    before: Before | None = None
    dirty = "clean" in by_way
    for way in _BEFORE_A_DOSE:
        ranked = by_way.get(way, [])
        if not ranked:
            continue
        rank, several = min(each for each, _ in ranked), [each for _, each in ranked]
        if way == "clean":
            made += [by_label(system, several[0], rank, way), flushed(system, several, rank)]
            before = Before(exactly(FLUSHED_TO), ", after the flush")
        elif way not in ("bleed", "drain"):
            made += [_ONE_BY_ONE[way](system, each, rank) for rank, each in ranked]
        elif not dirty:
            lowered = (bled if way == "bleed" else drained)(system, several, rank)
            made.append(lowered)
            before = _done_along_with(system, lowered)
    wanted = _dosed_anew(system, findings, by_way) if dirty else by_way.get("dose", [])
    return made + [
        asked_first(each, rank, combined) if combined and each.parameter in _DISINFECTANTS
        else dosed(system, each, rank, before)
        for rank, each in wanted
    ]  # fmt: skip


def _dosed_anew(
    system: System, findings: Sequence[Finding], by_way: Mapping[str, list[tuple[int, Finding]]]
) -> list[tuple[int, Finding]]:
    """Return what a flush takes out and a product of the team's puts back, whether it was too little before or not."""
    rank = min(rank for rank, _ in by_way["clean"])
    raised = {parameter(held.product.parameter).key for held in system.products if held.product.does == RAISES}
    low = {parameter(each.parameter).key for _, each in by_way.get("dose", [])}
    back = [
        each for each in findings
        if (each.least or 0.0) > 0 and each.side != "high" and parameter(each.parameter).key in raised | low
    ]  # fmt: skip
    return [(rank, each._replace(side="low")) for each in back]


def _done_along_with(system: System, lowered: Proposal) -> Before | None:
    """Return what part of anything dosed a bleed or drain leaves in the water."""
    litres = lowered.amount
    if litres is None or system.volume is None:
        return None
    volume, rate = system.volume, system.bleed_l_min or 1.0
    if lowered.by == "drain":
        return Before(
            spread(lambda v: max(1 - litres.value / v, 0.0), volume), ", after the drain, which takes some along"
        )
    out = litres.value * rate if lowered.kept == "min" else litres.value
    return Before(spread(lambda v: math.exp(-out / v), volume), ", after the bleed, which takes some along")


def _looked_at(system: System, finding: Finding, rank: int) -> Proposal:
    """Propose to look for the cause, in the limit's own words."""
    name = parameter(finding.parameter)
    title = finding.words.removesuffix(".") or f"{name.title} too {finding.side}: look for the cause"
    return named("look", title, [finding], rank, key=f"look:{name.key}")


def _regenerated(system: System, finding: Finding, rank: int) -> Proposal:
    name = parameter(finding.parameter)
    return named(
        "regenerate",
        "Regenerate the softener by its sheet; if it does not hold, have it serviced",
        [finding],
        rank,
        key=f"regenerate:{name.key}",
        why=f"{name.title} {level(finding, finding.measured.value)} gets through. Look whether salt and water are in "
        "the brine tank, and whether the bypass is shut.",
    )


_ONE_BY_ONE: dict[str, Callable[[System, Finding, int], Proposal]] = {
    "disinfect": shock,
    "look": _looked_at,
    "regenerate": _regenerated,
    "lower": dosed,
    "hold scale": lambda system, finding, rank: by_label(system, finding, rank, "hold scale"),
}


def _cautions(proposal: Proposal, system: System) -> tuple[str, ...]:
    way = ways().get(proposal.by)
    given = way.caution(system.kind) if way else ""
    return (given,) if given else ()


def _kept_apart(proposal: Proposal, before: Sequence[Proposal], system: System) -> list[str]:
    """Say with which products that go in before it its own must not meet, or that this is not known."""
    products = {held.key: held.product for held in system.products}
    own = products.get(proposal.product)
    if own and not own.holds:
        return [f"What {own.name} holds is not written down: its safety data sheet says what it must not meet."]
    others = dict.fromkeys(each.product for each in before if each.product in products)
    pairs = ((products[key], never_meets(own.holds, products[key].holds)) for key in others) if own else ()
    return [
        f"Never together with {other.name}: {'; '.join(why)}. Only two days after it, used up."
        for other, why in pairs
        if why
    ]
