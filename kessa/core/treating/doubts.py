"""What is asked about an amount before it is written down: a slip of a digit, the label's most, the shelf."""

from __future__ import annotations

from kessa.core.quantities.spread import Spread
from kessa.core.treating.amounts import METRIC, Kept, figures, written

# More than so many times what was proposed at most, or less than this part of it at least, is asked about.
_TOO_MUCH, _TOO_LITTLE = 2.0, 0.2


def doubts_about(
    amount: float, kept: Kept, proposed: Spread | None = None, at_once: float | None = None, left: float | None = None,
    system: str = METRIC,
) -> list[str]:  # fmt: skip
    """Return in words what is odd about an amount that is said to have been done, in what `kept` says.

    `proposed` is what was worked out, `at_once` the label's most for the system, `left` what the lot held;
    `system` is that in which it is written.

    >>> doubts_about(120, "L", Spread(12.7, 11, 14), 10.8, 21.5)[0]
    'It is 9.45 times what was proposed, 12.7 L: did a digit or a unit slip?'
    >>> doubts_about(12, "L", Spread(12.7, 11, 14))
    []
    """
    doubts = []
    if proposed is not None and proposed.value > 0:
        high = proposed.value if proposed.high is None else proposed.high
        much, little = amount > _TOO_MUCH * high, 0 < amount < _TOO_LITTLE * proposed.low
        if much or little:
            times, what = figures(amount / proposed.value), written(proposed.value, kept, system)
            doubts.append(f"It is {times} times what was proposed, {what}: did a digit or a unit slip?")
    if at_once is not None and amount > at_once * 1.01:
        doubts.append(
            f"The label allows no more than {written(at_once, kept, system, down=True)} at once in this system."
        )
    if left is not None and amount > left * 1.01:
        doubts.append(
            f"Only {written(left, kept, system)} of this lot were left: was it another lot, or is the count wrong?"
        )
    return doubts
