"""How far an instrument was off at each check, as a part of what is allowed."""

from collections.abc import Sequence
from typing import Any, NamedTuple

WIDTH, HEIGHT = 720, 190
_LEFT, _RIGHT, _MIDDLE, _BAND = 70, 700, 86, 44
_FURTHEST = 1.8


class Dot(NamedTuple):
    """One check: its place on the chart."""

    x: float
    y: float
    check: Any


class Drift(NamedTuple):
    """Everything the template draws."""

    dots: list[Dot]
    path: str
    days: list[tuple[float, Any]]
    width: int = WIDTH
    height: int = HEIGHT
    left: int = _LEFT
    right: int = _RIGHT
    middle: int = _MIDDLE
    band: int = _BAND


def drift(checks: Sequence[Any]) -> Drift:
    """Lay out checks, newest first; each needs at, off, allowed and passed. A check far off is drawn at the edge."""
    ordered = sorted(checks, key=lambda check: check.at)
    first, last = ordered[0].at, ordered[-1].at
    dots = []
    for check in ordered:
        share = (check.at - first) / (last - first) if last > first else 0.5
        part = check.off / check.allowed if check.allowed else (0.0 if check.passed else _FURTHEST)
        part = max(-_FURTHEST, min(_FURTHEST, part))
        dots.append(Dot(round(_LEFT + 12 + share * (_RIGHT - _LEFT - 24), 1), round(_MIDDLE - part * _BAND, 1), check))
    path = " ".join(f"{dot.x},{dot.y}" for dot in dots)
    shown = [dots[0], dots[-1]] if len(dots) > 1 else dots
    return Drift(dots, path, [(dot.x, dot.check.at) for dot in shown])
