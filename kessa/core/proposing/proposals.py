"""What is proposed at a place, in the order in which it is done."""

from __future__ import annotations

from collections.abc import Sequence

from kessa.core.errors import CannotCompute
from kessa.core.proposing.in_words import in_words
from kessa.core.proposing.planned import planned_for
from kessa.core.proposing.propose import TREATED
from kessa.core.proposing.words_for_asking import look_for_cause
from kessa.core.treating.mixing import never_meets
from kessa.core.treating.systems import Finding, Proposal, System
from kessa.core.treating.ways import ways


def proposals(system: System, findings: Sequence[Finding], ticked: Proposal | None = None) -> list[Proposal]:
    """Return what to do about findings of one place, in the order in which it is done.

    Of findings those that are inside too, and those that no limit is held against; the most urgent stand first.
    `ticked` is the list of what people do and whom they tell (see lists.list_of), which comes before all else.
    """
    found = _each_once([*([ticked] if ticked else []), *_treated(system, findings)])
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
        results = tuple(dict.fromkeys((*(before.results if before else ()), *each.results)))
        once[each.key] = (before or each)._replace(results=results)
    return list(once.values())


def _treated(system: System, findings: Sequence[Finding]) -> list[Proposal]:
    """Return what is done about findings; what nothing else is proposed about is looked at.

    Where people drink it or fish live in it, and of germs, a list says what else is done.
    """
    outside = [each for each in findings if each.side]
    made: list[Proposal] = []
    fault = ""
    # Of plant what nobody finds outside may still be wrong: what was put in is gone, scale falls out.
    if system.kind in TREATED and (outside or (findings and system.water == "plant")):
        try:
            made = in_words(planned_for(system, findings))
        except CannotCompute as refused:
            fault = refused.message
    answered = {result for each in made for result in each.results}
    looked_at = [
        look_for_cause(system, each, missing=fault) for each in outside
        if system.water == "plant" and each.side != "present" and each.result not in answered
    ]  # fmt: skip
    return [*looked_at, *made]


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
