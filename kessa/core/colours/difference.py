"""How far two colours lie apart to the eye."""

from __future__ import annotations

from math import atan2, cos, degrees, exp, hypot, radians, sin, sqrt

from kessa.core.colours.lab import Lab

_25_7 = 25.0**7


def difference(one: Lab, other: Lab) -> float:
    """Return CIEDE2000 with all factors 1 (CIE 142-2001, as Sharma, Wu and Dalal 2005 write it out); 1 is just seen."""
    mean_chroma = (hypot(one.a, one.b) + hypot(other.a, other.b)) / 2
    stretch = 1.5 - 0.5 * sqrt(mean_chroma**7 / (mean_chroma**7 + _25_7))
    a1, a2 = one.a * stretch, other.a * stretch
    c1, c2 = hypot(a1, one.b), hypot(a2, other.b)
    h1, h2 = _hue(a1, one.b), _hue(a2, other.b)
    turn, hue = _between(h1, h2) if c1 * c2 else (0.0, h1 + h2)
    light, chroma = (one.l + other.l) / 2, (c1 + c2) / 2
    d_light, d_chroma, d_hue = other.l - one.l, c2 - c1, 2 * sqrt(c1 * c2) * sin(radians(turn) / 2)
    t = (
        1
        - 0.17 * cos(radians(hue - 30))
        + 0.24 * cos(radians(2 * hue))
        + 0.32 * cos(radians(3 * hue + 6))
        - 0.20 * cos(radians(4 * hue - 63))
    )
    s_light = 1 + 0.015 * (light - 50) ** 2 / sqrt(20 + (light - 50) ** 2)
    s_chroma, s_hue = 1 + 0.045 * chroma, 1 + 0.015 * chroma * t
    twist = 60 * exp(-(((hue - 275) / 25) ** 2))
    rotation = -2 * sqrt(chroma**7 / (chroma**7 + _25_7)) * sin(radians(twist))
    of_light, of_chroma, of_hue = d_light / s_light, d_chroma / s_chroma, d_hue / s_hue
    squared = of_light**2 + of_chroma**2 + of_hue**2 + rotation * of_chroma * of_hue
    return sqrt(max(squared, 0.0))


def _hue(a: float, b: float) -> float:
    return degrees(atan2(b, a)) % 360 if a or b else 0.0


def _between(h1: float, h2: float) -> tuple[float, float]:
    """Return the turn from one hue to another the short way, and the hue in the middle of it."""
    turn = h2 - h1
    if abs(turn) <= 180:
        return turn, (h1 + h2) / 2
    return turn - 360 if turn > 180 else turn + 360, (h1 + h2 + (360 if h1 + h2 < 360 else -360)) / 2
