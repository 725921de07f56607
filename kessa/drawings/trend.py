"""Results over time: two places at most, limits, the usual range, an interval bar a point."""

import math
from collections.abc import Sequence
from datetime import datetime
from typing import Any, NamedTuple

from django.utils import timezone
from django.utils.html import escape
from django.utils.safestring import SafeString, mark_safe

HEIGHT = 270
WIDE, NARROW = 780, 360
TOP, FOOT = 14, 228
_LEFT, _EDGE = 46, 10
_MOST_TICKS = 5
# A month is labelled for about so many units of width.
_FOR_A_MONTH = 110
# How wide a letter of a limit's words is, about.
_LETTER = 6.6


class Line(NamedTuple):
    """A limit to draw, what to write on it, and from when to when it held (None: all the while)."""

    value: float
    words: str
    since: datetime | None = None
    until: datetime | None = None


class Band(NamedTuple):
    """What is usual over a stretch of time (None: all the while)."""

    low: float
    high: float
    since: datetime | None = None
    until: datetime | None = None


class Event(NamedTuple):
    """Something that happened or was done there."""

    at: datetime
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

    width: int
    here: list[Point]
    there: list[Point]
    path_here: str
    path_there: str
    grid: list[tuple[float, str]]
    months: list[tuple[float, str]]
    limits: list[tuple[float, float, float, Line]]
    above: list[Line]
    usual: list[tuple[float, float, float, float]]
    events: list[tuple[float, str, Event]]

    def svg(self, words: str = "Results over time; the numbers are in the table below") -> SafeString:
        """Draw it, in one go: a chart has hundreds of marks. `words` say what the line does."""
        right = self.width - _EDGE
        across = f'x1="{_LEFT}" x2="{right}"'
        parts = [
            f'<line class="grid" {across} y1="{y}" y2="{y}"/><text class="n end" x="38" y="{y}" dy="4">{label}</text>'
            for y, label in self.grid
        ]
        parts += [
            f'<rect class="usual-band" x="{x}" y="{y}" width="{wide}" height="{tall}"/>'
            for x, y, wide, tall in self.usual
        ]
        parts += [
            f'<line class="event" x1="{x}" x2="{x}" y1="{TOP}" y2="{FOOT}"/>'
            f'<text class="event-words" x="{x}" y="{FOOT - 4}">{letter}</text>'
            for x, letter, _ in self.events
        ]
        parts += [
            f'<line class="limit" x1="{x1}" x2="{x2}" y1="{y}" y2="{y}"/>'
            f'<text class="limit-words" x="{x1 + 4}" y="{y}" dy="-5">{escape(_fitting(line, x2 - x1))}</text>'
            for x1, x2, y, line in self.limits
        ]
        parts.append(f'<polyline class="there" points="{self.path_there}"/>')
        parts.append(f'<polyline class="here" points="{self.path_here}"/>')
        parts += [f'<circle class="there" cx="{point.x}" cy="{point.y}" r="3.2"/>' for point in self.there]
        parts += [
            f'<line class="here" x1="{point.x}" x2="{point.x}" y1="{point.y_high}" y2="{point.y_low}"/>{_mark(point)}'
            for point in self.here
        ]
        parts += [f'<text x="{x}" y="248">{label}</text>' for x, label in self.months]
        return mark_safe(  # noqa: S308 # all but the words of limits are numbers, letters and months of ours
            f'<svg class="trend" viewBox="0 0 {self.width} {HEIGHT}" role="img" '
            f'aria-label="{escape(words)}">{"".join(parts)}</svg>'
        )


def _fitting(line: Line, width: float) -> str:
    """Cut the words of a limit to what fits on it; its number stays."""
    most = max(int(width / _LETTER), 8)
    if len(line.words) <= most:
        return line.words
    number = f"{line.value:g}"
    return f"{line.words[: most - len(number) - 2]}… {number}"


def _mark(point: Point) -> str:
    """A diamond; what is only known to lie under or over a bound, an arrow that way."""
    censor = getattr(point.result, "censor", "")
    if censor:
        turn = 0 if censor == ">" else 180
        return (
            f'<path class="censored" d="M-4.4 3 L0 -5.4 L4.4 3 Z" transform="translate({point.x} {point.y}) '
            f'rotate({turn})"/>'
        )
    return (
        '<rect class="here" x="-3.2" y="-3.2" width="6.4" height="6.4" '
        f'transform="translate({point.x} {point.y}) rotate(45)"/>'
    )


def thinned(newest: Sequence[Any], width: int) -> Sequence[Any]:
    """Return of results, newest first, those that can be told apart on a chart of a width.

    Of more than one for two pixels they are the lowest and the highest of each piece of the time.
    """
    most = width // 2
    if len(newest) <= most:
        return newest
    first, last = newest[-1].taken_at, newest[0].taken_at
    piece = (last - first) / (most // 2)
    lows: dict[int, tuple[float, int]] = {}
    highs: dict[int, tuple[float, int]] = {}
    for n, each in enumerate(newest):
        at, value = (each.taken_at - first) // piece, each.value
        if at not in lows or value < lows[at][0]:
            lows[at] = value, n
        if at not in highs or value > highs[at][0]:
            highs[at] = value, n
    return [newest[n] for n in sorted({0, len(newest) - 1, *(n for _, n in (*lows.values(), *highs.values()))})]


def trend(
    here: Sequence[Any],
    there: Sequence[Any],
    limits: Sequence[Line],
    usual: Sequence[Band],
    *,
    events: Sequence[Event] = (),
    width: int = WIDE,
    span: tuple[datetime, datetime] | None = None,
) -> Chart:
    """Lay out the results of a place and of its pair; each needs taken_at, value, low and high."""
    everything = [*here, *there]
    first, last = span or (min(r.taken_at for r in everything), max(r.taken_at for r in everything))
    right = width - _EDGE
    highest = max(r.high or r.value for r in everything)
    ordered = sorted(limits, key=lambda line: line.value)
    near = [line for line in ordered if line.value <= highest * 2][-1:]
    shown = [line for line in ordered if line.value <= max([highest, *(line.value for line in near)])]
    lowest = min(0.0, *(r.low for r in everything))
    top, step = _scale(max([highest, -lowest, *(line.value for line in shown)]))
    bottom = math.floor(lowest / step) * step

    def x(at: datetime) -> float:
        share = (at - first) / (last - first) if last > first else 0.5
        return round(_LEFT + 8 + (right - _LEFT - 16) * min(max(share, 0.0), 1.0), 1)

    def y(value: float) -> float:
        return round(FOOT - (FOOT - TOP) * (value - bottom) / (top - bottom), 1)

    def points(results: Sequence[Any]) -> list[Point]:
        return [Point(x(r.taken_at), y(r.value), y(r.low), y(r.high or top), r) for r in reversed(results)]

    def reach(since: datetime | None, until: datetime | None) -> tuple[float, float]:
        return (x(since) if since else _LEFT), (x(until) if until else right)

    mine, others = points(here), points(there)
    bands = [(*reach(band.since, band.until), y(band.high), y(band.low)) for band in usual]
    return Chart(
        width=width,
        here=mine,
        there=others,
        path_here=_path(mine),
        path_there=_path(others),
        grid=[(y(step * k), f"{step * k:g}") for k in range(round(bottom / step), math.floor(top / step + 1e-9) + 1)],
        months=_months(first, last, x, width // _FOR_A_MONTH),
        limits=[(*reach(line.since, line.until), y(line.value), line) for line in shown],
        above=[line for line in ordered if line not in shown],
        usual=[(x1, high, round(max(x2 - x1, 1.0), 1), round(max(low - high, 2.0), 1)) for x1, x2, high, low in bands],
        events=[(x(each.at), _letter(nth), each) for nth, each in enumerate(events) if first <= each.at <= last],
    )


def _letter(nth: int) -> str:
    return chr(ord("a") + nth % 26)


def _path(points: list[Point]) -> str:
    return " ".join(f"{point.x},{point.y}" for point in points)


def _scale(highest: float) -> tuple[float, float]:
    """Return a round top of the scale above the highest value, and the step of its grid."""
    reach = highest * 1.08 if highest > 1e-9 else 1.0
    rough = reach / _MOST_TICKS
    power = 10 ** math.floor(math.log10(rough))
    step = next(power * k for k in (1, 2, 5, 10) if power * k >= rough)
    return math.ceil(reach / step) * step, step


def _months(first: datetime, last: datetime, x: Any, most: int) -> list[tuple[float, str]]:
    """Label at most so many months evenly along the chart."""
    start, end = timezone.localtime(first), timezone.localtime(last)
    span = (end.year - start.year) * 12 + end.month - start.month
    every = max(1, math.ceil(span / most))
    labels = []
    for offset in range(0, span + 1, every):
        year, month = divmod(start.year * 12 + start.month - 1 + offset, 12)
        at = start.replace(year=year, month=month + 1, day=1, hour=0, minute=0)
        if first <= at <= last or offset == 0:
            labels.append((x(max(at, first)), f"{at:%b %y}"))
    return labels
