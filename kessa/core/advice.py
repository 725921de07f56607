"""What to do next, in words."""

from __future__ import annotations

from kessa.core.determination import Outcome
from kessa.core.judge import CLOSE, INSIDE, NOT_SETTLED, OUTSIDE
from kessa.core.methods.parts import Part
from kessa.core.methods.schema import Method
from kessa.core.quantity import Quantity, plain
from kessa.core.trends import UsualRange

_UNUSUAL_FACTOR = 1.5
_REPAIRS = {
    "cloudy": "The sample was cloudy: filter it and repeat, cloud is taken for colour.",
    "ph-outside": "The sample's pH lay outside the method's window: adjust it and repeat.",
    "quality-bad": "A check of that day failed: find out why, and repeat with fresh reagent.",
}


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
) -> tuple[str, ...]:
    """Say what to do after a determination, the most pressing first. `upstream` names the place to compare with."""
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
    elif "one-run" in outcome.flags:
        steps.append("One run only: repeat it before anyone relies on the number.")
    if "blank-bad" in outcome.flags:
        steps.append("The blank was bad: find out why, then repeat. Until then this number may be too high.")
    timed = {"read-early", "read-late", "not-timed"} & set(outcome.flags)
    if timed:
        steps.append("The reading was not in its time: the colour is another then. Repeat with the clocks.")
    steps += [words for flag, words in _REPAIRS.items() if flag in outcome.flags]
    # A count over the range says nothing about the limit yet: the repeat will.
    steps += [] if outcome.next and verdict == NOT_SETTLED else _by_verdict(verdict, upstream)
    if unusual and verdict in (INSIDE, CLOSE, None):
        look = f" Test {upstream} too." if upstream else " Test again further up the water."
        steps.append(f"Not usual for this place: look for a cause and tell your coordinator.{look}")
    return tuple(steps) or ("Nothing more to do here: next visit as planned.",)


def _by_verdict(verdict: str | None, upstream: str | None) -> list[str]:
    compare = f"test {upstream}" if upstream else "test further up the water"
    if verdict == OUTSIDE:
        return [f"Test again from a fresh sample to be sure, {compare}, and tell your coordinator today."]
    if verdict == NOT_SETTLED:
        return [
            "This kit cannot tell on which side of the limit the water is: use a finer range or another method, "
            "or send a sample to a certified laboratory."
        ]
    if verdict == CLOSE:
        return ["Close to the limit: test again soon, and after the next rain or thaw."]
    return []
