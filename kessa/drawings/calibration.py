"""A photometer's calibration, drawn: the standards, the line, and between which lines a reading lies 19 times in 20."""

from collections.abc import Sequence

from django.utils.safestring import SafeString, mark_safe

from kessa.core.calibrating.line import fit_line

_WIDE, _TALL, _EDGE = 560, 300, 46


def calibration_line(points: Sequence[Sequence[float]]) -> SafeString:
    """Draw pairs of concentration and absorbance with the line through them."""
    line = fit_line([(x, y) for x, y in points])
    most_x, most_y = max(x for x, _ in points) * 1.05, max(y for _, y in points) * 1.08

    def place(x: float, y: float) -> str:
        across = _EDGE + x / most_x * (_WIDE - 2 * _EDGE)
        return f"{across:.1f} {_TALL - _EDGE - max(y, 0.0) / most_y * (_TALL - 2 * _EDGE):.1f}"

    steps = [most_x * n / 30 for n in range(31)]
    reading = [line.intercept + line.slope * x for x in steps]
    halves = [line.slope * line.half_at(x) for x in steps]
    upper = [place(x, y + half) for x, y, half in zip(steps, reading, halves, strict=True)]
    lower = [place(x, y - half) for x, y, half in zip(steps, reading, halves, strict=True)]
    dots = "".join(
        f'<circle class="here" r="5" cx="{cx}" cy="{cy}"/>' for cx, cy in (place(x, y).split() for x, y in points)
    )
    marks = "".join(
        f'<text class="n" x="{place(x, 0).split()[0]}" y="{_TALL - _EDGE + 18}">{x:g}</text>'
        for x in sorted({x for x, _ in points})
    )
    heights = "".join(
        f'<text class="n end" x="{_EDGE - 6}" y="{place(0, y).split()[1]}" dy="4">{y:.2g}</text>'
        for y in (most_y / 4 * n for n in range(1, 4))
    )
    words = f"Calibration line through {len(points)} standards, slope {line.slope:.4g}, intercept {line.intercept:.4g}"
    return mark_safe(  # noqa: S308 # numbers alone
        f'<svg class="trend" viewBox="0 0 {_WIDE} {_TALL}" role="img" aria-label="{words}">'
        f'<path class="usual-band" d="M{"L".join(upper)}L{"L".join(reversed(lower))}Z"/>'
        f'<path class="grid" d="M{place(0, 0)}L{place(most_x, 0)}M{place(0, 0)}L{place(0, most_y)}" fill="none"/>'
        f'<polyline class="here" points="{place(0, reading[0])} {place(most_x, reading[-1])}"/>'
        f"{dots}{marks}{heights}</svg>"
    )
