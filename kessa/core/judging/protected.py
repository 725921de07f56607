"""What a limit protects: by it go the rule of decision, which of several limits decides, and what is urgent."""

from __future__ import annotations

from typing import Literal, NamedTuple

Protects = Literal[
    "germs", "acute", "infants", "children", "health", "aquatic-acute", "aquatic-chronic", "treatment", "taste",
    "equipment",
]  # fmt: skip


class Protected(NamedTuple):
    """Something that limits protect: in words, how urgent it is (0 the most), and whether for people's health."""

    words: str
    rank: int
    health: bool = False


PROTECTED: dict[str, Protected] = {
    "germs": Protected("people from germs", 0, health=True),
    "acute": Protected("people from what harms within a day", 1, health=True),
    "infants": Protected("infants fed by bottle", 2, health=True),
    "children": Protected("children", 2, health=True),
    "health": Protected("people who drink it for years", 2, health=True),
    "aquatic-acute": Protected("what lives in the water from what harms within hours", 3),
    "aquatic-chronic": Protected("what lives in the water over time", 3),
    "treatment": Protected("what a treatment is there for", 4),
    "taste": Protected("taste, stains and pipes", 5),
    "equipment": Protected("the plant", 5),
}
HEALTH = frozenset(key for key, each in PROTECTED.items() if each.health)
# What a limit protects that does not say so, by what its set applies to.
USUALLY: dict[str, Protects] = {"drinking": "health", "stream": "aquatic-chronic", "plant": "treatment"}


def decision_rule(protects: str) -> str:
    """Return by which rule a result is held against a limit that protects something: "guarded" or "simple".

    Guarded acceptance where health or aquatic life is at stake: all of the interval must be inside. Simple acceptance
    for bands of treatment, taste and equipment: the value decides, and how likely the true value lies on the other
    side is told (JCGM 106:2012, 8.2 and 8.3; ILAC-G8:09/2019).

    >>> decision_rule("acute"), decision_rule("taste")
    ('guarded', 'simple')
    """
    return "guarded" if PROTECTED[protects].rank <= PROTECTED["aquatic-chronic"].rank else "simple"
