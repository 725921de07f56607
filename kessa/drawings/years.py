"""Years over one another: each month's middle value, a line a year."""

from collections import defaultdict
from collections.abc import Sequence
from datetime import date
from statistics import median
from typing import Any, NamedTuple

from django.utils.html import escape
from django.utils.safestring import SafeString, mark_safe

_HEIGHT, _LEFT, _RIGHT, _TOP, _FOOT = 210, 46, 46, 14, 178
_MONTHS = "JFMAMJJASOND"
_MOST = 5


class Year(NamedTuple):
    """A year's line: how far back it lies, and the middle value of each of its months."""

    year: int
    back: int
    months: list[tuple[int, float]]


def years_of(points: Sequence[tuple[date, float]]) -> list[Year]:
    """Return the last years with at least two months of values, the newest first."""
    found: dict[int, dict[int, list[float]]] = defaultdict(lambda: defaultdict(list))
    for day, value in points:
        found[day.year][day.month].append(value)
    wanted = [year for year in sorted(found, reverse=True) if len(found[year]) > 1][:_MOST]
    return [
        Year(year, back, [(month, median(found[year][month])) for month in sorted(found[year])])
        for back, year in enumerate(wanted)
    ]


def draw_years(years: Sequence[Year], width: int) -> SafeString:
    """Draw years over one another, the newest the strongest."""
    top = max(value for year in years for _, value in year.months) * 1.08 or 1.0
    least = min(0.0, *(value for year in years for _, value in year.months))

    def x(month: int) -> float:
        return round(_LEFT + 8 + (width - _LEFT - _RIGHT - 8) * (month - 1) / 11, 1)

    def y(value: float) -> float:
        return round(_FOOT - (_FOOT - _TOP) * (value - least) / (top - least), 1)

    parts = [f'<line class="grid" x1="{_LEFT}" x2="{width - _RIGHT}" y1="{y(0)}" y2="{y(0)}"/>']
    parts += [
        f'<text class="n end" x="38" y="{y(at)}" dy="4">{at:.3g}</text>' for at in (least, (top + least) / 2, top)
    ]
    for year in reversed(years):
        path = " ".join(f"{x(month)},{y(value)}" for month, value in year.months)
        last = year.months[-1]
        parts.append(f'<polyline class="year back-{year.back}" points="{path}"/>')
        parts.append(f'<text class="year-name" x="{x(last[0]) + 4}" y="{y(last[1])}" dy="4">{year.year}</text>')
    parts += [f'<text x="{x(n)}" y="198">{letter}</text>' for n, letter in enumerate(_MONTHS, 1)]
    return _svg(width, parts, "The years over one another, month by month; the numbers are in the table below")


def _svg(width: int, parts: list[str], words: str) -> SafeString:
    return mark_safe(  # noqa: S308 # numbers, letters and words of ours
        f'<svg class="trend" viewBox="0 0 {width} {_HEIGHT}" role="img" aria-label="{escape(words)}">'
        f"{''.join(parts)}</svg>"
    )


def draw_distribution(values: Sequence[float], width: int, bounds: Sequence[float]) -> SafeString:
    """Draw how often which values were found, in twelve steps, with the limits as lines."""
    least, most = min(values), max(values)
    span = (most - least) or abs(most) or 1.0
    counts = [0] * 12
    for value in values:
        counts[min(int((value - least) / span * 12), 11)] += 1
    step = (width - _LEFT - 10) / 12
    tall = (_FOOT - _TOP) / max(counts)
    parts: list[Any] = []
    for n, count in enumerate(counts):
        height = round(count * tall, 1)
        left, wide = round(_LEFT + n * step, 1), round(step - 2, 1)
        parts.append(f'<rect class="bin" x="{left}" y="{round(_FOOT - height, 1)}" width="{wide}" height="{height}"/>')
        if count:
            parts.append(
                f'<text class="n" x="{round(left + wide / 2, 1)}" y="{round(_FOOT - height - 3, 1)}">{count}</text>'
            )
    for bound in bounds:
        if least <= bound <= least + span:
            at = round(_LEFT + (bound - least) / span * 12 * step, 1)
            parts.append(f'<line class="limit" x1="{at}" x2="{at}" y1="{_TOP}" y2="{_FOOT}"/>')
    for n in (0, 3, 6, 9, 12):
        parts.append(f'<text x="{round(_LEFT + n * step, 1)}" y="198">{least + span * n / 12:.3g}</text>')
    return _svg(width, parts, f"How often which values were found, from {least:.3g} to {most:.3g}")
