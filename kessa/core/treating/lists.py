"""What is done at a place where people drink, where fish live or a tower sprays, as a list to tick."""

from __future__ import annotations

from collections.abc import Callable

from kessa.core.advising.advice import Advice, Where
from kessa.core.advising.rules import Seen, codes, seen
from kessa.core.advising.wording import Named, plain_answer, say_code, sentence
from kessa.core.judging.judge import OUTSIDE
from kessa.core.judging.protected import PROTECTED
from kessa.core.treating.systems import Proposal, Step

# By what a limit protects: how urgent its list is, where it is beyond the limit. Undecided, it is one less.
_RANKS = {
    "germs": 0, "acute": 0, "infants": 1, "children": 1, "health": 1, "aquatic-acute": 1, "aquatic-chronic": 2,
    "treatment": 1, "taste": 4, "equipment": 1,
}  # fmt: skip
# What a plant's own proposals say already is no list by itself.
_OF_PLANT = frozenset({"biocide", "legionella", "laboratory"})
# What ends a list once a laboratory or an authority was asked.
_ENDS = (("laboratory", "report-laboratory"), ("authority", "cleared"))
KEY = "sheet:place"

# Whom the team has named, and the place to compare with, for something so urgent.
Naming = Callable[[int], Named]


def list_of(advice: Advice, where: Where, named_for: Naming) -> Proposal | None:
    """Return what advice asks for as a list to tick; None where nothing must be done by an hour."""
    if advice.within_h is None or (where.water == "plant" and not _OF_PLANT & set(advice.codes)):
        return None
    worst = advice.pressing
    assert worst is not None
    protects = worst.protects or ("germs" if where.water == "drinking" else "treatment")
    rank = _RANKS[protects] + (worst.verdict != OUTSIDE and protects != "germs")
    named = named_for(rank)
    asked = [each for each in advice.do if codes()[each.code].ticked and named.hears(each.code)]
    steps = [Step(each.code, sentence(each, where, named), each.within_h) for each in asked]
    ends = [Step(end, say_code(end, where, named)) for code, end in _ENDS if code in advice.codes]
    decisive = worst.decisive or {}
    rules = dict.fromkeys(why for each in asked for why in each.why)
    working = [f"The limit: {decisive['source']}." if decisive.get("source") else "", str(decisive.get("told_by", ""))]
    return Proposal(
        key=KEY,
        by="sheet",
        rank=rank,
        position=0,
        title=plain_answer(advice, where)[0].removesuffix("."),
        why=f"This limit protects {PROTECTED[protects].words}.",
        working=tuple(dict.fromkeys(filter(None, (*working, *rules)))),
        parameter=worst.key,
        unit=worst.reading.quantity.unit,
        form=worst.reading.quantity.form,
        steps=(*steps, *ends),
        results=tuple(dict.fromkeys(key for each in asked for key in each.keys)),
    )


def seen_list(where: Where, named_for: Naming) -> Proposal | None:
    """Return the list that somebody begins who sees something wrong at such water; None where none is written."""
    found: Seen | None = seen(where.water)
    if found is None:
        return None
    named = named_for(1)
    steps = tuple(Step(code, say_code(code, where, named), hours) for code, hours in found.asked if named.hears(code))
    return Proposal(
        key=f"sheet:{found.key}", by="sheet", rank=1, position=0, title=found.title, why=found.protects, steps=steps
    )
