"""How long a team usually takes for the steps of a method, by its latest tests."""

from collections import defaultdict
from itertools import groupby, pairwise
from statistics import median

from kessa.core.methods.schema import Method
from kessa.core.runs.events import READ, STEP, TIMER
from kessa.record.taps.models import Tap

# One time is chance; a pause longer than this (s) is no step.
_ENOUGH = 3
_LONGEST_S = 600.0


def usual_times(method: Method, taps: list[Tap]) -> dict[int, float]:
    """Return the median of what each step took (s), from tap to tap, by its number; those seen too seldom are left out.

    `taps` are those of some tests, test by test and in order. A step with a clock is over when its clock is started.
    """
    took: dict[int, list[float]] = defaultdict(list)
    for _, of_one in groupby(taps, key=lambda tap: tap.stream):
        for before, tap in pairwise(of_one):
            number = _ends(method, tap)
            seconds = (tap.at - before.at).total_seconds()
            if number is not None and before.kind != TIMER and 0 < seconds <= _LONGEST_S:
                took[number].append(seconds)
    return {number: median(times) for number, times in took.items() if len(times) >= _ENOUGH}


def _ends(method: Method, tap: Tap) -> int | None:
    """Return the number of the step that a tap ends; None where it ends none."""
    if tap.kind in (STEP, TIMER):
        number = tap.data.get("step")
        clocked = number is not None and number < len(method.steps) and method.steps[number].wait is not None
        return number if clocked == (tap.kind == TIMER) else None
    if tap.kind == READ:
        part = tap.data.get("part")
        return method.step_reading(part) if part in method.read_keys else None
    return None
