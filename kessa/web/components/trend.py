"""Results over time: two places at most, limits, the usual range, an interval bar a point."""

import math
from collections.abc import Sequence
from datetime import datetime
from typing import Any, NamedTuple

from django.utils import timezone

WIDTH, HEIGHT = 780, 270
LEFT, RIGHT, TOP, FOOT = 46, 770, 14, 228
_MOST_TICKS = 5


class Line(NamedTuple):
    """A limit to draw, and what to write on it."""

    value: float
    words: str


class Point(NamedTuple):
    """One result: its place on the chart and the ends of its interval."""

    x: float
    y: float
    y_low: float
    y_high: float
    result: Any


class Chart(NamedTuple):
    """Everything the template draws; `above` names limits beyond the top of the scale."""

    here: list[Point]
    there: list[Point]
    path_here: str
    path_there: str
    grid: list[tuple[float, str]]
    months: list[tuple[float, str]]
    limits: list[tuple[float, Line]]
    above: list[Line]
    usual: tuple[float, float] | None
    width: int = WIDTH
    height: int = HEIGHT
    left: int = LEFT
    right: int = RIGHT


def trend(here: Sequence[Any], there: Sequence[Any], limits: list[Line], usual: Any) -> Chart:
    """Lay out the results of a place and of its pair; each needs taken_at, value, low and high."""
    everything = [*here, *there]
    first, last = min(r.taken_at for r in everything), max(r.taken_at for r in everything)
    highest = max(r.high or r.value for r in everything)
    near = sorted(line for line in limits if line.value <= highest * 2)[-1:]
    shown = [line for line in sorted(limits) if line.value <= max([highest, *(line.value for line in near)])]
    lowest = min(0.0, *(r.low for r in everything))
    top, step = _scale(max([highest, -lowest, *(line.value for line in shown)]))
    bottom = math.floor(lowest / step) * step

    def x(at: datetime) -> float:
        share = (at - first) / (last - first) if last > first else 0.5
        return round(LEFT + 8 + (RIGHT - LEFT - 16) * share, 1)

    def y(value: float) -> float:
        return round(FOOT - (FOOT - TOP) * (value - bottom) / (top - bottom), 1)

    def points(results: Sequence[Any]) -> list[Point]:
        return [Point(x(r.taken_at), y(r.value), y(r.low), y(r.high or top), r) for r in reversed(results)]

    mine, others = points(here), points(there)
    return Chart(
        here=mine,
        there=others,
        path_here=_path(mine),
        path_there=_path(others),
        grid=[(y(step * k), f"{step * k:g}") for k in range(round(bottom / step), math.floor(top / step + 1e-9) + 1)],
        months=_months(first, last, x),
        limits=[(y(line.value), line) for line in shown],
        above=[line for line in sorted(limits) if line not in shown],
        usual=(y(usual.high), max(y(usual.low) - y(usual.high), 2.0)) if usual else None,
    )


def _path(points: list[Point]) -> str:
    return " ".join(f"{point.x},{point.y}" for point in points)


def _scale(highest: float) -> tuple[float, float]:
    """Return a round top of the scale above the highest value, and the step of its grid."""
    reach = highest * 1.08 if highest > 1e-9 else 1.0
    rough = reach / _MOST_TICKS
    power = 10 ** math.floor(math.log10(rough))
    step = next(power * k for k in (1, 2, 5, 10) if power * k >= rough)
    return math.ceil(reach / step) * step, step


def _months(first: datetime, last: datetime, x: Any) -> list[tuple[float, str]]:
    """Label about six months evenly along the chart."""
    start, end = timezone.localtime(first), timezone.localtime(last)
    span = (end.year - start.year) * 12 + end.month - start.month
    every = max(1, math.ceil(span / 6))
    labels = []
    for offset in range(0, span + 1, every):
        year, month = divmod(start.year * 12 + start.month - 1 + offset, 12)
        at = start.replace(year=year, month=month + 1, day=1, hour=0, minute=0)
        if first <= at <= last or offset == 0:
            labels.append((x(max(at, first)), f"{at:%b %y}"))
    return labels
