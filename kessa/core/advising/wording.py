"""The words that hang on what was decided: a sentence a code, and one plain answer for the whole sample."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any, Literal, NamedTuple

from kessa.core.advising.advice import PARTS, SUM, Advice, Do, Where
from kessa.core.advising.rules import Instead, Verdict, codes
from kessa.core.checked import Checked, YesNo
from kessa.core.datafile import data_file, read_toml
from kessa.core.job.place_kinds import Water
from kessa.core.judging.germs import GERMS, found
from kessa.core.judging.judge import CLOSE, INSIDE, OUTSIDE
from kessa.core.judging.protected import Protects
from kessa.core.quantities.parameters import parameter
from kessa.core.runs.flags import FLAGS

# Whom a team may name, and who is meant where it has named nobody.
ROLES = {
    "authority": "your local health authority",
    "laboratory": "a certified laboratory",
    "drinkers": "everybody who drinks it",
    "keeper": "the owner or keeper",
    "spill_line": "the water authority by your local rules",
}
_FIRST = ("protects", "tells")
_UPSTREAM = "the next place up the water"


class Named(NamedTuple):
    """Whom a team tells, by role, and the place to compare with, for the sentences that name them.

    `alone`: nobody else is in the team, so no coordinator is told.
    """

    contacts: Mapping[str, str] = {}
    upstream: str = ""
    alone: bool = False

    def hears(self, code: str) -> bool:
        """Whether there is anybody to whom such a thing is said."""
        return not (self.alone and code == "coordinator")


NOBODY = Named()


class _First(Checked):
    say: str
    water: Water | None = None
    codes: tuple[str, ...] = ()
    verdicts: tuple[Verdict, ...] = ()
    protects: tuple[Protects, ...] = ()
    side: Literal["", "low", "high"] = ""
    germs: YesNo = False


class _Plain(Checked):
    act_now: str
    held: str
    within_beside: str
    beyond: str
    within: str
    and_within: str
    called: dict[str, str]
    laboratory: str
    unknown: tuple[str, ...]
    unknown_germs: str
    first: tuple[_First, ...]


@data_file
def plain_words() -> _Plain:
    """Return how the plain answer is worded; raises BadDataFile on a faulty file."""
    return read_toml(Path(__file__).with_name("plain.toml"), _Plain)


def sentence(do: Do, where: Where, named: Named = NOBODY) -> str:
    """Say one thing to do."""
    code = codes()[do.code]
    given = next((each.say for each in code.instead if _fits(each, do, where)), code.say)
    about = [each for each in do.about if each not in code.unnamed] or do.about
    return given.format(
        parameters=listed([_called(each) for each in _without_sum(about)]),
        minutes=minutes(do.minutes or 1),
        words=" ".join(do.words.values()),
        upstream=named.upstream or _UPSTREAM,
        **{**ROLES, **named.contacts},
    )


def _without_sum(keys: Sequence[str]) -> list[str]:
    """Return parameters without the sum of nitrate and nitrite, where a part of it is named."""
    return [each for each in keys if not (each == SUM and set(PARTS) & set(keys))]


def say_code(code: str, where: Where, named: Named = NOBODY) -> str:
    """Say a code that is about no reading in particular."""
    return sentence(Do(code), where, named)


def sentences(
    do: Iterable[Do],
    where: Where,
    named: Named = NOBODY,
    *,
    about: str | None = None,
    of_the_test: Iterable[str] = (),
    flags: Iterable[str] = (),
) -> list[str]:
    """Say what is to be done, in order; only what is `about` a parameter, where one is given.

    What protects people and who is told comes first; then what the test itself asks for and what the flags of its
    result ask for, to be done at once where something protects, never before it; then the rest. Of a parameter of
    which nothing is asked, as it is within its limit and others are not, just that is said.
    """
    chosen = list(do) if about is None else [_of_one(each, about) for each in do if about in each.about]
    chosen = [each for each in chosen if named.hears(each.code)]
    urgent = [each for each in chosen if codes()[each.code].does in _FIRST]
    doubts = list(dict.fromkeys(FLAGS[flag].advice for flag in flags if flag in FLAGS and FLAGS[flag].advice))
    # Where a flag says how to test again, that says more.
    rest = [each for each in chosen if each not in urgent and not (doubts and each.only_doubted)]
    given = [
        *(sentence(each, where, named) for each in urgent),
        *((plain_words().act_now,) if urgent and doubts else ()),
        *of_the_test,
        *doubts,
        *(sentence(each, where, named) for each in rest),
    ]
    return given or ([plain_words().within_beside] if about else [])


def _of_one(do: Do, about: str) -> Do:
    """Return what is to be done as far as it is about one parameter: what another wants said of it is another's."""
    return replace(do, about=[about], words={key: words for key, words in do.words.items() if key == about})


def _fits(instead: Instead, do: Do, where: Where) -> bool:
    if instead.water and where.water not in instead.water:
        return False
    among = [each in instead.parameters for each in do.about]
    return not instead.parameters or (all(among) if instead.only else any(among))


def plain_answer(advice: Advice, where: Where) -> list[str]:
    """Say in at most three sentences how a water stands, for somebody who has never tested any."""
    if not advice.assessments:
        return []
    words, asked = plain_words(), set(advice.codes)
    first = next((each for each in words.first if _says(each, advice, where, asked)), None)
    named, given = _names(advice), []
    if first:
        given.append(first.say.format(**named))
    if advice.assessments[0].reading.held:
        given.append(words.held)
    # What the first sentence names is said; what else is beyond its limit is never left out.
    named_already = [*named["of_infants"]] if first and "{infants}" in first.say else []
    named_already += [named["worst"]] if first and "{worst}" in first.say.lower() else []
    beyond = [_called(each) for each in _keys_with(advice, OUTSIDE) if _called(each) not in named_already]
    within = [_called(each) for each in _keys_with(advice, INSIDE, CLOSE) if _called(each) not in named_already]
    for sentence_of, beside in ((words.beyond, beyond), (words.within, within)):
        if beside and len(given) < 2:
            given.append(
                sentence_of.format(
                    named=listed(beside),
                    too=" too" if named_already else "",
                    other=words.and_within.format(named=listed(within)) if beyond and within else "",
                )
            )
    if where.water == "drinking":
        tested = {each.key for each in advice.assessments}
        unknown = [each for each in words.unknown if each not in tested]
        germs = [] if tested & set(GERMS) else [words.unknown_germs]
        given.append(words.laboratory.format(unknown=listed([*germs, *unknown], "or")))
    return given


def _says(first: _First, advice: Advice, where: Where, asked: set[str]) -> bool:
    return (
        first.water in (None, where.water)
        and set(first.codes) <= asked
        and (not first.verdicts or advice.worst_verdict in first.verdicts)
        and (not first.protects or advice.assessments[0].protects in first.protects)
        and first.side in ("", advice.assessments[0].side)
        and (not first.germs or bool(_germs(advice)))
    )


def _germs(advice: Advice) -> list[str]:
    """Return which germs were looked for and found, or nobody could tell."""
    return list(
        dict.fromkeys(each.key for each in advice.assessments if each.key in GERMS and found(each.reading.quantity))
    )


def _names(advice: Advice) -> dict[str, Any]:
    """Return what the first sentence may name."""
    worst, by_code = advice.assessments[0], {each.code: each for each in advice.do}
    asked = by_code["infants-other-water"].about if "infants-other-water" in by_code else []
    infants = [each for each in _without_sum(asked) if each not in GERMS]
    above = [each for each in _keys_with(advice, OUTSIDE) if each in infants]
    was_found = "were found" if worst.key in GERMS else "was found"
    called = [_called(each) for each in above or infants or [worst.key]]
    return {
        "worst": _called(worst.key),
        "Worst": _begun(_called(worst.key)),
        "was_found": was_found if worst.verdict == OUTSIDE else "may be in it",
        "infants": listed(called),
        "keep": "keep their" if len(called) > 1 else "keeps its",
        "is_above": "are above their limits" if len(above) > 1 else "is above its limit",
        "barring": listed([_called(each) for each in by_code["no-boiling"].about]) if "no-boiling" in by_code else "",
        "minutes": minutes(advice.boil_minutes or 1),
        "of_infants": called,
        "germs": listed([_called(each) for each in _germs(advice)]),
    }


def _keys_with(advice: Advice, *verdicts: str) -> list[str]:
    """Return which parameters stand so, each once, those only that nothing worse is said of."""
    first: dict[str, str] = {}
    for each in advice.assessments:
        first.setdefault(each.key, each.verdict)
    return [key for key, verdict in first.items() if verdict in verdicts]


def _called(key: str) -> str:
    """Return what a parameter is called within a sentence."""
    return plain_words().called.get(key, key)


def _begun(name: str) -> str:
    """Return a name as it begins a sentence."""
    return parameter(name).title if parameter(name).upper else name[:1].upper() + name[1:]


def minutes(number: int) -> str:
    """Say for how long water boils.

    >>> minutes(1), minutes(3)
    ('one minute', 'three minutes')
    """
    return {1: "one minute", 3: "three minutes"}.get(number, f"{number} minutes")


def listed(names: Sequence[str], word: str = "and") -> str:
    """Name several things in one breath.

    >>> listed(["nitrate"]), listed(["pH", "iron", "nitrate"])
    ('nitrate', 'pH, iron and nitrate')
    """
    *all_but, last = names or [""]
    return f"{', '.join(all_but)} {word} {last}" if all_but else last
