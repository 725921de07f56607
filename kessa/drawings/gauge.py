"""A result on its scale: what is allowed, the limits, the interval, the place's usual range."""

from collections.abc import Mapping
from html import escape
from typing import Any, NamedTuple

from django.utils.safestring import SafeString, mark_safe

from kessa.core.quantities.quantity import plain

WIDTH, HEIGHT, _EDGE = 210, 26, 6


class Gauge(NamedTuple):
    """Positions in drawing units; `words` says the same for those who cannot see it."""

    allowed: tuple[float, float] | None
    usual: tuple[float, float] | None
    ticks: list[float]
    interval: tuple[float, float]
    value: float
    words: str

    def svg(self, glyph: str) -> SafeString:
        """Draw it, in one go: a log shows dozens."""
        # Without a limit nothing is beyond one.
        whole = "beyond" if self.allowed else "open"
        parts = [f'<rect class="{whole}" x="6" y="10" width="198" height="6"/>']
        if self.allowed:
            parts.append(f'<rect class="allowed" x="{self.allowed[0]}" y="10" width="{self.allowed[1]}" height="6"/>')
        if self.usual:
            parts.append(f'<rect class="usual" x="{self.usual[0]}" y="20" width="{self.usual[1]}" height="4"/>')
        parts += [f'<line class="tick" x1="{tick}" x2="{tick}" y1="4" y2="22"/>' for tick in self.ticks]
        least, most = self.interval
        parts.append(f'<line class="interval" x1="{least}" x2="{most}" y1="13" y2="13"/>')
        parts.append(f'<circle class="value" cx="{self.value}" cy="13" r="4.6"/>')
        return mark_safe(  # noqa: S308 # all but the words are numbers of ours
            f'<svg class="gauge {glyph}" width="{WIDTH}" height="{HEIGHT}" viewBox="0 0 {WIDTH} {HEIGHT}" role="img" '
            f'aria-label="{escape(self.words)}">{"".join(parts)}</svg>'
        )


def gauge(
    value: float,
    low: float,
    high: float | None,
    unit: str,
    limit: Mapping[str, Any] | None,
    usual: dict[str, float] | None,
) -> Gauge:
    """Place a result on its scale. `limit` is the deciding judgement, in the result's unit; None without one."""
    least = limit["min"] if limit else None
    most = limit["max"] if limit else None
    known = [value, high, least, most, usual["high"] if usual else None]
    top = max(number for number in known if number is not None) * 1.15 or 1.0

    def x(number: float) -> float:
        return round(_EDGE + (WIDTH - 2 * _EDGE) * min(max(number / top, 0.0), 1.0), 1)

    def span(start: float, end: float) -> tuple[float, float]:
        return x(start), round(max(x(end) - x(start), 1.0), 1)

    return Gauge(
        allowed=span(least or 0.0, top if most is None else most) if limit else None,
        usual=span(usual["low"], usual["high"]) if usual else None,
        ticks=[x(bound) for bound in (least, most) if bound is not None],
        interval=(x(low), x(top if high is None else high)),
        value=x(value),
        words=_words(low, high, unit, least, most, usual),
    )


def _words(
    low: float, high: float | None, unit: str, least: float | None, most: float | None, usual: dict[str, float] | None
) -> str:
    parts = [f"between {_short(low)} and {_short(high)} {unit}" if high is not None else f"above {_short(low)} {unit}"]
    if least is not None:
        parts.append(f"at least {plain(least)} allowed")
    if most is not None:
        parts.append(f"at most {plain(most)} allowed")
    if usual:
        parts.append(f"usual {_short(usual['low'])} to {_short(usual['high'])}")
    return ", ".join(parts)


def _short(value: float) -> str:
    return plain(float(f"{value:.3g}"))
