"""Results over time: two places at most, limits, the usual range, an interval bar a point."""

import math
from collections.abc import Sequence
from datetime import datetime
from typing import Any, NamedTuple

from django.utils import timezone
from django.utils.html import escape
from django.utils.safestring import SafeString, mark_safe

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
    """Everything that is drawn; `above` names limits beyond the top of the scale."""

    here: list[Point]
    there: list[Point]
    path_here: str
    path_there: str
    grid: list[tuple[float, str]]
    months: list[tuple[float, str]]
    limits: list[tuple[float, Line]]
    above: list[Line]
    usual: tuple[float, float] | None

    def svg(self) -> SafeString:
        """Draw it, in one go: a chart has hundreds of marks."""
        across = f'x1="{LEFT}" x2="{RIGHT}"'
        parts = [
            f'<line class="grid" {across} y1="{y}" y2="{y}"/><text class="n end" x="38" y="{y}" dy="4">{label}</text>'
            for y, label in self.grid
        ]
        if self.usual:
            top, tall = self.usual
            parts.append(f'<rect class="usual-band" x="{LEFT}" y="{top}" width="{RIGHT - LEFT}" height="{tall}"/>')
        parts += [
            f'<line class="limit" {across} y1="{y}" y2="{y}"/>'
            f'<text class="limit-words" x="50" y="{y}" dy="-5">{escape(line.words)}</text>'
            for y, line in self.limits
        ]
        parts.append(f'<polyline class="there" points="{self.path_there}"/>')
        parts.append(f'<polyline class="here" points="{self.path_here}"/>')
        parts += [f'<circle class="there" cx="{point.x}" cy="{point.y}" r="3.2"/>' for point in self.there]
        parts += [
            f'<line class="here" x1="{point.x}" x2="{point.x}" y1="{point.y_high}" y2="{point.y_low}"/>'
            '<rect class="here" x="-3.2" y="-3.2" width="6.4" height="6.4" '
            f'transform="translate({point.x} {point.y}) rotate(45)"/>'
            for point in self.here
        ]
        parts += [f'<text x="{x}" y="248">{label}</text>' for x, label in self.months]
        return mark_safe(  # noqa: S308 # all but the words of limits are numbers and months of ours
            f'<svg class="trend" viewBox="0 0 {WIDTH} {HEIGHT}" role="img" '
            f'aria-label="Results over time; the numbers are in the table below">{"".join(parts)}</svg>'
        )


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
