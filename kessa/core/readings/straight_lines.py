"""A result along a line of readings as straight lines with break points, so that a page may look it up."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from itertools import pairwise
from typing import Any

from kessa.core.errors import CannotCompute

# What is found at a place: its numbers (None: no end), and a word in which lines do not differ along the way.
Found = tuple[tuple[float | None, ...], Any]
_INSIDE = (0.5, 0.23, 0.81)
_CLOSE, _NARROW, _BESIDE = 1e-11, 1e-10, 1e-8
# Whoever bends more often than this is no straight line.
_MOST_LOOKS = 20_000


def straight_lines(
    look: Callable[[float], Found], least: float, most: float, marks: Sequence[float] = ()
) -> tuple[list[list[Any]], list[list[Any]]]:
    """Return (lines, points) by which a page finds what `look` finds from `least` to `most`.

    A line is [from, to, numbers at from, numbers at to, word]; a point, at an end or at one of `marks`, [x, numbers,
    word], where no line beside it says the same. `look` is straight but for jumps and bends; jumps stand at `marks`.
    Raises CannotCompute where it is not straight, or as `look` does.
    """
    looks = 0

    def counted(x: float) -> Found:
        nonlocal looks
        looks += 1
        if looks > _MOST_LOOKS:
            raise CannotCompute("Between its marks this is no straight line.", "reading")
        return look(x)

    ends = sorted({least, most, *(mark for mark in marks if least < mark < most)})
    lines: list[list[Any]] = []
    for low, high in pairwise(ends):
        start, end = (x + side * min(_beside(x), (high - low) / 10) for x, side in ((low, 1), (high, -1)))
        lines += _merged(_fitted(counted, start, end, counted(start), counted(end)))
    points = [[x, *counted(x)] for x in ends]
    return lines, [point for point in points if not _is_said(point, lines)]


def _fitted(look: Callable[[float], Found], low: float, high: float, first: Found, last: Found) -> list[list[Any]]:
    line = [low, high, first[0], last[0], first[1]]
    places = [low + part * (high - low) for part in _INSIDE]
    seen = [look(x) for x in places]
    if first[1] == last[1] and all(_on(line, [x, *found]) for x, found in zip(places, seen, strict=True)):
        return [line]
    if high - low <= _NARROW * max(abs(low), abs(high), 1e-3):
        return []
    middle = places[0]
    return [*_fitted(look, low, middle, first, seen[0]), *_fitted(look, middle, high, seen[0], last)]


def _on(line: list[Any], point: list[Any]) -> bool:
    """Whether a line, drawn on, says what a point says."""
    start, end, first, last, word = line
    x, numbers, given = point
    if word != given:
        return False
    way = (x - start) / (end - start)
    for a, b, found in zip(first, last, numbers, strict=True):
        if a is None or b is None or found is None:
            if not a is b is found is None:
                return False
        elif not math.isclose(a + (b - a) * way, found, rel_tol=_CLOSE, abs_tol=1e-12):
            return False
    return True


def _beside(x: float) -> float:
    """Return how far from a mark its lines begin: what is within reach of a mark counts as on it."""
    return _BESIDE * max(abs(x), 1.0)


def _touches(line: list[Any], x: float) -> bool:
    return bool(line[0] - 2 * _beside(x) <= x <= line[1] + 2 * _beside(x))


def _is_said(point: list[Any], lines: list[list[Any]]) -> bool:
    """Whether there are lines beside a point, and all of them say what it says."""
    touching = [line for line in lines if _touches(line, point[0])]
    return bool(touching) and all(_on(line, point) for line in touching)


def _merged(lines: list[list[Any]]) -> list[list[Any]]:
    """Join lines that go on straight."""
    joined: list[list[Any]] = []
    for line in lines:
        if joined and joined[-1][4] == line[4]:
            whole = [joined[-1][0], line[1], joined[-1][2], line[3], line[4]]
            met = ([joined[-1][1], joined[-1][3], line[4]], [line[0], line[2], line[4]])
            if all(_on(whole, point) for point in met):
                joined[-1] = whole
                continue
        joined.append(line)
    return joined
