"""What to do next, in words."""

from __future__ import annotations

from collections.abc import Iterable

from kessa.core.judging.judge import CLOSE, INSIDE, NOT_SETTLED, OUTSIDE
from kessa.core.judging.usual import UsualRange
from kessa.core.methods.parts import Part
from kessa.core.methods.schema import Method
from kessa.core.quantities.quantity import Quantity, plain
from kessa.core.runs.conclusion import Outcome
from kessa.core.runs.flags import FLAGS

_UNUSUAL_FACTOR = 1.5
_NOTHING = "Nothing more to do here: next visit as planned."
_NOT_JUDGED = "It was not judged: no limit for it is chosen here."


def is_unusual(quantity: Quantity, usual: UsualRange | None) -> bool:
    """Whether the whole interval lies half as much again above the usual range, or under two thirds of it."""
    if usual is None:
        return False
    above = quantity.low > usual.high * _UNUSUAL_FACTOR
    below = quantity.high is not None and quantity.high < usual.low / _UNUSUAL_FACTOR
    return above or below


def next_steps(
    part: Part,
    outcome: Outcome,
    verdict: str | None,
    *,
    unusual: bool = False,
    higher_range: Method | None = None,
    upstream: str | None = None,
    flowing: bool = True,
) -> tuple[str, ...]:
    """Say what to do after a determination, the most pressing first, apart from what its flags ask for.

    `upstream` names the place to compare with, `flowing` says whether there is any further up the water.
    """
    steps = []
    if outcome.next == "higher range" and higher_range:
        steps.append(
            f"Repeat now with the {higher_range.vessel} vessel: "
            f"its range reaches {plain(higher_range.reach or 0.0)} {part.unit}."
        )
    elif outcome.next == "dilute":
        steps.append("Dilute a fresh part of the sample with deionised water and repeat now: this was the top range.")
    if outcome.state == "not agreed":
        how = ", dropper upright, one drop at a time" if part.counted else ", with clean vessels and the clocks"
        steps.append(f"The runs do not agree: draw a fresh sample and repeat{how}.")
    elif outcome.state == "run again" and len(outcome.used) > 1:
        steps.append("The runs do not agree yet: run once more.")
    compare = f"test {upstream}" if upstream else "test further up the water" if flowing else ""
    # A count over the range says nothing about the limit yet: the repeat will.
    steps += [] if outcome.next and verdict == NOT_SETTLED else _by_verdict(verdict, compare)
    if unusual and verdict in (INSIDE, CLOSE, None):
        look = f" {compare[:1].upper()}{compare[1:]} too." if compare else ""
        steps.append(f"Not usual for this place: look for a cause and tell your coordinator.{look}")
    return tuple(steps) or (_NOTHING if verdict == INSIDE else _NOT_JUDGED,)


def with_flags(steps: Iterable[str], flags: Iterable[str]) -> tuple[str, ...]:
    """Put what the flags of a result ask for, those set later too, before what follows from its number.

    Where a flag asks for something, there is more to do than nothing.
    """
    asked = tuple(dict.fromkeys(FLAGS[flag].advice for flag in flags if flag in FLAGS and FLAGS[flag].advice))
    return (*asked, *(step for step in steps if not (asked and step == _NOTHING)))


def _by_verdict(verdict: str | None, compare: str) -> list[str]:
    if verdict == OUTSIDE:
        then = f", {compare}," if compare else ""
        return [f"Test again from a fresh sample to be sure{then} and tell your coordinator today."]
    if verdict == NOT_SETTLED:
        return [
            "This kit cannot tell on which side of the limit the water is: use a finer range or another method, "
            "or send a sample to a certified laboratory."
        ]
    if verdict == CLOSE:
        return ["Close to the limit: test again soon, and after the next rain or thaw."]
    return []
