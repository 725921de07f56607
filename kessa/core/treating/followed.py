"""Whether what was done worked, and what the answer of the water tells of how much the system holds."""

from __future__ import annotations

import math
from typing import NamedTuple

from kessa.core.errors import CannotCompute, finite
from kessa.core.quantities.measured import above_0, from_0, takes
from kessa.core.quantities.parameters import parameter
from kessa.core.quantities.spread import Spread, spread
from kessa.core.treating.amounts import figures, level
from kessa.core.treating.dosing import volume_by_tracer
from kessa.core.treating.systems import Finding

# A volume that comes out less than this apart from what is written down is the same.
_SAME = 0.02
# What rose by less than this part of what a dose should have done, beyond doubt, is not explained by it.
_SHARE = 0.5


class Done(NamedTuple):
    """What was done between two readings: how much (L bled or drained; level·L put in), the aim, the feed."""

    by: str
    amount: float
    aim: float | None = None
    makeup: Spread = Spread(0.0, 0.0, 0.0)


class Followed(NamedTuple):
    """What came of it, in words; whether it is where it should be; the volume that follows, where one does."""

    words: str
    worked: bool
    volume: Spread | None = None


_BY_LITRES = takes(litres=above_0("L"), before=from_0(None), after=from_0(None), makeup=from_0(None))


@_BY_LITRES
def volume_by_bleed(litres: float, before: float, after: float, makeup: float = 0.0) -> float:
    """Return what a system holds from the litres bled out of it and a level before and after, of one conserved thing.

    litres / ln((before − makeup)/(after − makeup)): the bleed read backwards. Raises CannotCompute on `litres` from 0
    down, and on `after` where nothing went down or it lies at the make-up or below it.

    >>> round(volume_by_bleed(1153, 3900, 3000, 150))
    4201
    """
    if not makeup < after < before:
        raise CannotCompute("The level after has to lie between the make-up's and that before.", "after")
    return finite(litres / math.log((before - makeup) / (after - makeup)), "after")


@_BY_LITRES
def volume_by_drain(litres: float, before: float, after: float, makeup: float = 0.0) -> float:
    """Return what a system holds from the litres drained and replaced at once.

    litres·(before − makeup)/(before − after). Raises CannotCompute as volume_by_bleed does.
    """
    if not makeup <= after < before:
        raise CannotCompute("The level after has to lie between the make-up's and that before.", "after")
    return finite(litres * (before - makeup) / (before - after), "after")


def follow(done: Done, before: Finding, after: Finding, written_down: float | None) -> Followed:
    """Say whether what was done brought a level where it should be; `before` and `after` in one unit and form.

    `written_down` is how much (L) the system is taken to hold: where the answer of the water says otherwise, so much
    is told with its interval.
    """
    name = parameter(after.parameter).title
    first = f"{name} {_number(before)} → {level(after, after.measured.value)}"
    aimed = "" if done.aim is None else f", aimed at {level(after, done.aim)}"
    verdict = {
        "": "it is where it should be",
        "low": "still too low" if before.side == "low" else "now too low",
        "high": "still too high" if before.side == "high" else "now too high",
        "present": "still found",
    }[after.side]
    volume = _volume(done, before.measured, after.measured)
    words = f"{first}{aimed}: {verdict}."
    fell_short = _fell_short(done, before, after, written_down)
    if fell_short:
        return Followed(f"{first}: {fell_short}", worked=False)
    if volume and written_down and abs(volume.value / written_down - 1) > _SAME:
        to = f" to {figures(volume.high)}" if volume.high is not None else " or more"
        words += (
            f" The volume comes out at {figures(volume.value)} L ({figures(volume.low)}{to}) "
            f"rather than {figures(written_down)} L."
        )
        return Followed(words, after.side == "", volume)
    return Followed(words, after.side == "")


def _fell_short(done: Done, before: Finding, after: Finding, written_down: float | None) -> str:
    """Say where a dose did not raise what it should have: something eats it, or the system loses water."""
    if done.by != "dose" or not written_down:
        return ""
    expected, rose = done.amount / written_down, after.measured.value - before.measured.value
    doubt = sum((each.high or each.value) - each.low for each in (before.measured, after.measured)) / 2
    if expected <= 0 or rose + doubt >= _SHARE * expected:
        return ""
    moved = f"rose by {level(after, rose)}" if rose > 0 else f"fell by {level(after, -rose)}"
    return (
        f"the dose should have raised it by {level(after, float(figures(expected)))}, and it {moved}. Look for a leak "
        "and for bacteria that eat it before more goes in: is water made up, does a dip slide show growth, did the "
        "dose get there?"
    )


def _number(finding: Finding) -> str:
    return level(finding, finding.measured.value).split(" ", 1)[0]


def _volume(done: Done, before: Spread, after: Spread) -> Spread | None:
    try:
        if done.by in ("dose", "lower"):
            ends = (after, before) if done.by == "dose" else (before, after)
            return spread(lambda high, low: volume_by_tracer(done.amount / 1000, high, low), *ends)
        if done.by in ("bleed", "drain"):
            by = volume_by_bleed if done.by == "bleed" else volume_by_drain
            return spread(lambda b, a, m: by(done.amount, b, a, m), before, after, done.makeup)
    except CannotCompute:
        pass
    return None
