"""The reference card that Kessa prints: where its marks and patches lie, in mm, and which colours they are."""

from __future__ import annotations

from typing import NamedTuple

from kessa.core.colours.lab import Lab

WIDE, TALL = 148.0, 105.0
# Black squares with a white hole; the middles of four of them, clockwise from the upper left.
MARK, HOLE = 10.0, 4.0
MARKS = ((9.0, 9.0), (139.0, 9.0), (139.0, 96.0), (9.0, 96.0))
# Where the strip, the ampoule or the kit's own card is laid: left, top, right, bottom.
SLOT = (20.0, 34.0, 128.0, 71.0)
PAPER = Lab(95.0, 0.0, 0.0)
PATCH = 8.0

_GREYS = (88.0, 74.0, 60.0, 46.0, 32.0)
_COLOURS = (
    Lab(52, 48, 28), Lab(68, 24, 46), Lab(84, 2, 62), Lab(70, -22, 46), Lab(52, -34, 18), Lab(60, -26, -10),
    Lab(46, -4, -32), Lab(36, 20, -40), Lab(44, 40, -22), Lab(62, 34, -4), Lab(76, 18, 8), Lab(80, -8, -10),
    Lab(82, 14, 24), Lab(56, 56, 4), Lab(90, -6, 30), Lab(40, 26, 14),
)  # fmt: skip


class Patch(NamedTuple):
    """A patch: its middle, in mm from the card's upper left corner, and its colour."""

    x: float
    y: float
    lab: Lab


def _patches() -> tuple[Patch, ...]:
    """Paper white stands all around the slot, between greys and colours, so that the light is known everywhere."""
    across = [24.0 + 10.0 * n for n in range(11)]
    rows = (8.0, 20.0, 83.0, 95.0)
    inks = iter([*(Lab(grey, 0.0, 0.0) for grey in _GREYS), *_COLOURS, *(Lab(grey, 0.0, 0.0) for grey in _GREYS)])
    found = []
    for row, y in enumerate(rows):
        for n, x in enumerate(across):
            white = (n + row) % 2 == 0
            ink = None if white else next(inks, None)
            found.append(Patch(x, y, PAPER if ink is None else ink))
    found += [Patch(x, y, PAPER) for x in (9.0, 139.0) for y in (28.0, 40.0, 52.0, 64.0, 76.0)]
    return tuple(found)


PATCHES = _patches()
