"""The conversion table printed for one lot of strips, as a person pastes it."""

from __future__ import annotations

import math
from itertools import pairwise

from kessa.core.quantities.typed import typed_numbers


def read_lot_table(text: str) -> tuple[tuple[float, float], ...]:
    """Read a strip lot's conversion table: a line a mark, "mark value" in the lot's unit, marks and values rising.

    What is between the two, and what a comma is, is as typed_numbers has it. A gap of more than three times the
    usual step between marks is refused: a line was left out. Raises ValueError naming the line.
    """
    rows: list[tuple[float, float]] = []
    for number, line in enumerate(text.strip().splitlines(), 1):
        if not line.strip():
            continue
        rows.append(_mark_and_value(line, number, heading=not rows and number == 1))
    rows = [row for row in rows if not math.isnan(row[0])]
    if len(rows) < 2:
        raise ValueError("A table needs two lines or more: a mark and its value on each.")
    for before, (mark, value) in pairwise(rows):
        if mark <= before[0]:
            raise ValueError(f"The marks are out of order: {mark:g} comes after {before[0]:g}.")
        if value <= before[1]:
            raise ValueError(f"The values are out of order: mark {mark:g} has {value:g}, the one before {before[1]:g}.")
    steps = sorted(after[0] - before[0] for before, after in pairwise(rows))
    usual = steps[len(steps) // 2]
    for before, after in pairwise(rows):
        if after[0] - before[0] > 3 * usual + 1e-9:
            raise ValueError(f"There is a gap between the marks {before[0]:g} and {after[0]:g}: a line is missing.")
    return tuple(rows)


def _mark_and_value(line: str, number: int, *, heading: bool) -> tuple[float, float]:
    """Return the two numbers of a line; twice nan for a heading."""
    cells = typed_numbers(line)
    if cells is None and heading and any(letter.isalpha() for letter in line):
        return math.nan, math.nan
    if cells is None or len(cells) != 2:
        words = f"Line {number} is not a mark and a value: {line.strip()[:40]}"
        raise ValueError(f"{words}. Part them by a space or a semicolon, such as 1,4 37.")
    mark, value = cells
    if not (0 <= mark < 1e6 and 0 <= value < 1e9):
        raise ValueError(f"Line {number} has a number out of range: {line.strip()[:40]}")
    return mark, value
