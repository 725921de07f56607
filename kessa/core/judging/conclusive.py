"""What would settle a result that its own kit cannot tell from a limit."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from functools import lru_cache

from kessa.core.errors import CannotCompute
from kessa.core.judging.judge import NOT_SETTLED, Bounds, Interval, judge
from kessa.core.methods.parts import Part
from kessa.core.quantities.quantity import Quantity

# How finely a way of reading is looked over for the reading nearest to a value.
_HALVINGS = 40


def would_be_conclusive(part: Part, value: Quantity, bounds: Bounds) -> bool:
    """Whether a part's reading at a value has an interval that lies clear of a limit, both as `value` is written.

    The interval is taken from the nearest reading there is, and laid around the value itself.
    """
    try:
        target = value.converted(part.unit, part.form).value
        near = _nearest(part, target)
        if near is None or near.censor or near.high is None:
            return False
        around = replace(near, value=target, low=target - (near.value - near.low), high=target + near.high - near.value)
        there = around.converted(value.unit, value.form)
        return judge(Interval(there.value, there.low, there.high, None), bounds, "guarded")[0] != NOT_SETTLED
    except CannotCompute:
        return False


@lru_cache(maxsize=512)
def _nearest(part: Part, target: float) -> Quantity | None:
    """Return what the reading nearest to a value comes to; None where the part has no reading near it."""
    found = min(_readings(part, target), key=lambda each: abs(each.value - target), default=None)
    if found is None or abs(found.value - target) > max(abs(target) * 0.25, 1e-9):
        return None
    return found


def _readings(part: Part, target: float) -> Iterator[Quantity]:
    if part.numbers.has_blank:
        for count in range(1, part.stop_at + 1):
            yield from _of(part, {"count": count})
        return
    for axis in part.numbers.axes(part.display_units, part.paths_mm):
        low, high = axis.least, axis.most
        # Whether values rise along the axis is told by its ends.
        rising = _rises(part, axis.reading(low), axis.reading(high))
        for _ in range(_HALVINGS if high > low else 1):
            middle = round((low + high) / 2) if axis.whole else (low + high) / 2
            found = next(_of(part, axis.reading(middle)), None)
            if found is None:
                break
            yield found
            low, high = (middle, high) if (found.value < target) == rising else (low, middle)


def _of(part: Part, reading: dict[str, object]) -> Iterator[Quantity]:
    try:
        yield part.determine(reading).quantity
    except CannotCompute:
        return


def _rises(part: Part, first: dict[str, object], last: dict[str, object]) -> bool:
    ends = [next(_of(part, each), None) for each in (first, last)]
    return not (ends[0] and ends[1] and ends[0].value > ends[1].value)
