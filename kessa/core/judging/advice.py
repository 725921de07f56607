"""What to do next, in words: by the water, what was tested, the verdict, and what stands against a result."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import cache
from pathlib import Path
from typing import Any, Literal, NamedTuple

from kessa.core.checked import Checked
from kessa.core.datafile import read_toml
from kessa.core.job.place_kinds import Water
from kessa.core.judging.judge import CLOSE, INSIDE, NOT_SETTLED, OUTSIDE
from kessa.core.judging.usual import UsualRange
from kessa.core.methods.parts import Part
from kessa.core.methods.schema import Method
from kessa.core.quantities.parameters import parameter
from kessa.core.quantities.quantity import Quantity, plain
from kessa.core.runs.conclusion import Outcome
from kessa.core.runs.flags import FLAGS

_UNUSUAL_FACTOR = 1.5
_LOCAL = "your local health authority"


class Said(Checked):
    """What is said where it fits: see advice.toml."""

    water: Water
    verdict: Literal["outside", "close", "not settled"]
    acute: bool = False
    parameters: tuple[str, ...] = ()
    side: Literal["", "high", "low"] = ""
    sets: tuple[str, ...] = ()
    steps: tuple[str, ...]


class _Found(Checked):
    water: Water
    parameters: tuple[str, ...]
    steps: tuple[str, ...]


class _Word(Checked):
    water: Water
    # Only of these, and only where nothing says how little there may be.
    parameters: tuple[str, ...] = ()
    step: str


class _Advice(Checked):
    said: tuple[Said, ...]
    found: tuple[_Found, ...]
    absent: str
    inside: tuple[_Word, ...]
    unjudged: tuple[_Word, ...]


@cache
def advice() -> _Advice:
    """Return what there is to say; raises BadDataFile on a faulty file."""
    return read_toml(Path(__file__).with_suffix(".toml"), _Advice)


class Where(NamedTuple):
    """What is known of where a result is from: the water, the place to compare with, whom the team tells."""

    water: Water = "open"
    upstream: str | None = None
    authority: str = ""

    @property
    def compare(self) -> str:
        """What to test besides; nothing where there is nothing to compare with."""
        if self.upstream:
            return f"test {self.upstream}"
        return "test further up the water" if self.water == "open" else ""


def is_unusual(quantity: Quantity, usual: UsualRange | None, name: str) -> bool:
    """Whether a result of a parameter is unusual at its place.

    The whole interval lies half as much again above the usual range, or under two thirds of it; a pH or a temperature,
    whose differences count absolutely, so far from it as its parameter says (with the value, as its interval is wide).
    """
    if usual is None:
        return False
    by = parameter(name).unusual_by
    if by is not None:
        return quantity.value > usual.high + by or quantity.value < usual.low - by
    above = quantity.low > usual.high * _UNUSUAL_FACTOR
    below = quantity.high is not None and quantity.high < usual.low / _UNUSUAL_FACTOR
    return above or below


def next_steps(
    method: Method,
    part: Part,
    outcome: Outcome,
    decisive: Mapping[str, Any] | None,
    where: Where,
    *,
    unusual: bool = False,
    higher_range: Method | None = None,
    lacking: Iterable[str] = (),
    settlers: Iterable[str] = (),
) -> tuple[str, ...]:
    """Say what to do after a determination, the most pressing first, apart from what its flags ask for.

    `decisive` is the judgement that decides, as holding.judge_by_sets gives it; `lacking` why limits that speak of it
    could not be held against it; `settlers` what of the team's own would tell on which side of a limit the water is.
    """
    # A count over the range says nothing about the limit yet: the repeat will.
    if outcome.next and decisive and decisive["verdict"] == NOT_SETTLED:
        decisive, unusual = None, False
    steps = _about_the_runs(method, part, outcome, higher_range)
    said = _by_number(part.parameter, outcome.quantity, decisive, where, unusual=unusual)
    named = "; ".join(settlers)
    if named and decisive and decisive["verdict"] == NOT_SETTLED:
        said.append(f"It would be settled by: {named}; or by a certified laboratory.")
    return (*steps, *said) or _at_rest(part.parameter, decisive, where, lacking)


def steps_after(
    name: str,
    quantity: Quantity,
    decisive: Mapping[str, Any] | None,
    where: Where,
    *,
    unusual: bool = False,
    lacking: Iterable[str] = (),
) -> tuple[str, ...]:
    """Say what to do after what was worked out from other results, as next_steps does after a determination."""
    said = _by_number(name, quantity, decisive, where, unusual=unusual)
    return tuple(said) or _at_rest(name, decisive, where, lacking)


def _by_number(
    name: str, quantity: Quantity | None, decisive: Mapping[str, Any] | None, where: Where, *, unusual: bool
) -> list[str]:
    steps = _by_verdict(decisive, name, quantity, where) if decisive else []
    verdict = decisive["verdict"] if decisive else None
    if unusual and verdict in (INSIDE, CLOSE, None):
        look = f" {where.compare[:1].upper()}{where.compare[1:]} too." if where.compare else ""
        steps.append(f"Not usual for this place: look for a cause and tell your coordinator.{look}")
    if quantity and quantity.unit == "presence":
        steps += _by_presence(name, quantity, where)
    return steps


def _at_rest(name: str, decisive: Mapping[str, Any] | None, where: Where, lacking: Iterable[str]) -> tuple[str, ...]:
    if decisive and decisive["verdict"] == INSIDE:
        key = parameter(name).key if decisive.get("min") is None else ""
        return (_word(advice().inside, where, key),)
    reasons = tuple(f"It was not judged: {why}." for why in dict.fromkeys(lacking))
    return reasons or (_word(advice().unjudged, where),)


def _about_the_runs(method: Method, part: Part, outcome: Outcome, higher_range: Method | None) -> list[str]:
    steps = []
    if outcome.next == "higher range" and higher_range:
        steps.append(
            f"Repeat now with the {higher_range.vessel} vessel: "
            f"its range reaches {plain(higher_range.reach or 0.0)} {part.unit}."
        )
    elif outcome.next and method.may_dilute:
        steps.append("Dilute a fresh part of the sample with deionised water and repeat now: this was the top range.")
    elif outcome.next:
        steps.append(
            "Clearer than this can show: write it down as it is."
            if part.more_is_clearer
            else "Beyond what this method can show, and it must not be diluted: another method or a meter tells more."
        )
    if outcome.state == "not agreed":
        how = ", dropper upright, one drop at a time" if part.counted else ", with clean vessels and the clocks"
        steps.append(f"The runs do not agree: draw a fresh sample and repeat{how}.")
    elif outcome.state == "run again" and len(outcome.used) > 1:
        steps.append("The runs do not agree yet: run once more.")
    return steps


def _by_verdict(decisive: Mapping[str, Any], name: str, quantity: Quantity | None, where: Where) -> list[str]:
    known = parameter(name)
    side = _side(decisive, quantity)
    own = decisive.get(f"do_{side}")
    if own and decisive["verdict"] in (OUTSIDE, CLOSE):
        return [own if decisive["verdict"] == OUTSIDE else f"Close to the limit: test again soon. Beyond it: {own}"]
    for said in advice().said:
        fits = said.water == where.water and said.verdict == decisive["verdict"]
        fits = fits and (not said.acute or known.acute) and said.side in ("", side)
        fits = fits and (not said.parameters or known.key in said.parameters)
        if fits and (not said.sets or decisive.get("set") in said.sets):
            compare = where.compare or "at the same point"
            return [step.format(compare=compare, authority=where.authority or _LOCAL) for step in said.steps]
    return []


def _by_presence(name: str, quantity: Quantity, where: Where) -> list[str]:
    """What is done where something was found; what cannot be told counts as found."""
    if not quantity.value:
        return [advice().absent]
    key = parameter(name).key
    fitting = (each.steps for each in advice().found if each.water == where.water and key in each.parameters)
    return [step.format(authority=where.authority or _LOCAL) for step in next(fitting, ())]


def _side(decisive: Mapping[str, Any], quantity: Quantity | None) -> str:
    """Return whether a result is nearer to, or beyond, the upper or the lower of its limits."""
    least, most = decisive.get("min"), decisive.get("max")
    if least is None or most is None or quantity is None:
        return "high" if least is None else "low"
    value = (
        decisive["held"][0] if "held" in decisive else quantity.converted(decisive["unit"], decisive.get("as")).value
    )
    return "high" if value - least > most - value else "low"


def _word(words: tuple[_Word, ...], where: Where, name: str = "") -> str:
    fitting = (word for word in words if word.water == where.water)
    return next(word.step for word in fitting if not word.parameters or name in word.parameters)


def with_flags(steps: Iterable[str], flags: Iterable[str]) -> tuple[str, ...]:
    """Put what the flags of a result ask for, those set later too, before what follows from its number.

    Where a flag asks for something, there is more to do than nothing.
    """
    asked = tuple(dict.fromkeys(FLAGS[flag].advice for flag in flags if flag in FLAGS and FLAGS[flag].advice))
    at_rest = {word.step for word in advice().inside}
    return (*asked, *(step for step in steps if not (asked and step in at_rest)))
