"""Where a colour stands among the steps of a card."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import NamedTuple

from kessa.core.colours.difference import difference
from kessa.core.colours.lab import Lab, mixed
from kessa.core.errors import CannotCompute, finite

CONFIDENT = 5.0


class Step(NamedTuple):
    """A step of a card: what it stands for, and its colour."""

    value: float
    lab: Lab


class Match(NamedTuple):
    """Where a colour stands: `distance` (CIEDE2000) is how far it is from the colour the card would have there."""

    value: float
    between: tuple[float, float]
    distance: float
    confident: bool


def match(chart: Sequence[Step], lab: Lab) -> Match:
    """Return the nearest point on the path through a chart's colours, straight in Lab between neighbours.

    Raises CannotCompute on `chart` where it has fewer than two steps, they do not ascend, or are too far apart.
    """
    if len(chart) < 2 or any(low.value >= high.value for low, high in pairwise(chart)):
        raise CannotCompute("A chart has two steps at least, in ascending order.", "chart")
    low, high, part, point = min(
        ((low, high, *_nearest(low.lab, high.lab, lab)) for low, high in pairwise(chart)),
        key=lambda stretch: _squared(stretch[3], lab),
    )
    distance = difference(point, lab)
    value = finite(low.value + part * (high.value - low.value), "chart")
    return Match(value, (low.value, high.value), distance, distance <= CONFIDENT)


def _nearest(start: Lab, end: Lab, lab: Lab) -> tuple[float, Lab]:
    """Return what part of the way between two colours is nearest to a third, and the colour there."""
    way = [b - a for a, b in zip(start, end, strict=True)]
    length = sum(each * each for each in way)
    projected = sum(each * (c - a) for each, a, c in zip(way, start, lab, strict=True))
    part = min(max(projected / length, 0.0), 1.0) if length else 0.0
    return part, mixed(start, end, part)


def _squared(one: Lab, other: Lab) -> float:
    return sum((a - b) ** 2 for a, b in zip(one, other, strict=True))
