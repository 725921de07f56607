"""A control chart, drawn: centre, thirds and limits, and the points that break a rule."""

from collections.abc import Sequence
from datetime import datetime

from django.utils import timezone
from django.utils.safestring import SafeString, mark_safe

from kessa.core.judging.control import Chart

_TALL, _EDGE, _BESIDE = 260, 22, 62


def control_drawn(chart: Chart, moments: Sequence[datetime], wide: int) -> SafeString:
    """Draw a chart of values at moments, the first on the left, evenly apart."""
    low, high = chart.limits
    least, most = min(low, *chart.values), max(high, *chart.values)
    reach = (most - least) or 1.0
    least, reach = least - 0.06 * reach, 1.12 * reach

    def down(value: float) -> float:
        return round(_EDGE + (1 - (value - least) / reach) * (_TALL - 2 * _EDGE - 18), 1)

    gap = (wide - _BESIDE - 2 * _EDGE) / max(len(chart.values) - 1, 1)
    across = [round(_BESIDE + n * gap, 1) for n in range(len(chart.values))]
    right = wide - _EDGE
    lines = "".join(
        f'<path class="{name}" d="M{_BESIDE - 8} {down(at)}H{right}"/>'
        f'<text class="n end" x="{_BESIDE - 12}" y="{down(at)}" dy="4">{at:.3g}</text>'
        for name, at in (("limit", low), ("grid", chart.centre), ("limit", high))
    )
    thirds = "".join(
        f'<path class="grid" stroke-dasharray="3 4" d="M{_BESIDE - 8} {down(at)}H{right}"/>'
        for at in (chart.centre + k * chart.sigma for k in (-2, -1, 1, 2))
    )
    path = " ".join(f"{x},{down(value)}" for x, value in zip(across, chart.values, strict=True))
    dots = "".join(
        _dot(x, down(value), n in chart.broken) for n, (x, value) in enumerate(zip(across, chart.values, strict=True))
    )
    ends = {0, len(moments) - 1}
    days = "".join(
        f'<text class="{"end" if n else "year-name"}" x="{across[n]}" y="{_TALL - 4}">{day}</text>'
        for n, day in ((n, f"{timezone.localtime(moments[n]):%d %b %Y}") for n in ends)
    )
    words = f"Control chart of {len(chart.values)} values: centre {chart.centre:.3g}, limits {low:.3g} and {high:.3g}, "
    words += f"{len(chart.broken)} of them break a rule. They are in the table below"
    return mark_safe(  # noqa: S308 # numbers and days alone
        f'<svg class="trend control" viewBox="0 0 {wide} {_TALL}" role="img" aria-label="{words}">'
        f'{thirds}{lines}<polyline class="there" points="{path}"/>{dots}{days}</svg>'
    )


def _dot(x: float, y: float, broken: bool) -> str:
    """What breaks a rule is told by shape as well as by colour."""
    if broken:
        return f'<path class="broken" d="M{x - 6} {y + 5} L{x} {y - 7} L{x + 6} {y + 5} Z"/>'
    return f'<circle class="here" cx="{x}" cy="{y}" r="4"/>'
