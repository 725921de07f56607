"""Where to bring a level that lies beyond an edge of its band."""

from __future__ import annotations

# Inside a band by this part of it, or by how far the reading may be off where that is more; at most to its middle.
_INSIDE = 0.25
# Of a band with one edge: so far inside that the next reading is not at it.
_BELOW_MOST, _ABOVE_LEAST = 0.1, 0.25


def aim_below(most: float, least: float | None, off: float) -> float:
    """Return to where a level comes down that is above `most`; `off` is how far its reading may be off.

    >>> aim_below(1600, 1200, 0), aim_below(1600, 1200, 150), aim_below(100, None, 0)
    (1500.0, 1450, 90.0)
    """
    if least is None:
        return most - max(_BELOW_MOST * abs(most), min(off, abs(most) / 2))
    return most - _into(most - least, off)


def aim_above(least: float, most: float | None, off: float) -> float:
    """Return to where a level comes up that is below `least`; `off` is how far its reading may be off.

    >>> aim_above(30, 60, 0), aim_above(20, None, 1)
    (37.5, 25.0)
    """
    if most is None:
        return least + max(_ABOVE_LEAST * abs(least), min(off, abs(least) / 2))
    return least + _into(most - least, off)


def _into(width: float, off: float) -> float:
    return min(max(off, _INSIDE * width), width / 2)
