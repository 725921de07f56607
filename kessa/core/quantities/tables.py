"""Figures of books between their lines."""

from __future__ import annotations

from bisect import bisect_left

Table = tuple[tuple[float, float], ...]


def between_lines(table: Table, x: float) -> float:
    """Return what a table has for x, in a straight line between two of its lines; beyond its ends what stands there.

    >>> between_lines(((0, 0), (10, 5)), 4), between_lines(((0, 0), (10, 5)), 12)
    (2.0, 5)
    """
    at = bisect_left(table, (x,))
    if at == 0 or at == len(table):
        return table[min(at, len(table) - 1)][1]
    (x0, y0), (x1, y1) = table[at - 1], table[at]
    return y0 + (y1 - y0) * (x - x0) / (x1 - x0)
