"""Several tests in time: a lane each, hands-on solid, waiting dotted, and where now is."""

import math
from typing import Any, NamedTuple

_NAMES, _TOP, _ROW, _BAR, _RIGHT = 124, 22, 28, 16, 14
# A minute is never drawn narrower than a quarter of an hour across the whole would be.
_LEAST_MINUTES = 15.0
_TICKS = (1, 2, 5, 10, 15, 30, 60, 120, 240)
# What is done at once is still to be seen.
_NARROWEST = 3.0
_LONGEST_NAME = 17


class Bar(NamedTuple):
    """A stretch of a lane: from where, how wide, and its kind."""

    x: float
    width: float
    kind: str


class Row(NamedTuple):
    """A lane: its name, the middle of its height, and its bars, those in front last."""

    name: str
    y: int
    bars: list[Bar]


class Drawing(NamedTuple):
    """Positions in drawing units, which are pixels: `ticks` are (x, minutes); a minute is `minute` wide."""

    width: int
    height: int
    rows: list[Row]
    ticks: list[tuple[float, int]]
    now: float
    minute: float
    left: int = _NAMES
    bar: int = _BAR


def draw_lanes(lanes: Any, width: int) -> Drawing:
    """Lay out lanes (see kessa.pages.bench.lanes) over so many pixels."""
    span = max(lanes.total, lanes.now, _LEAST_MINUTES) * 1.04
    minute = (width - _NAMES - _RIGHT) / span
    rows = []
    for nth, lane in enumerate(lanes.lanes):
        ordered = sorted(lane.stretches, key=lambda stretch: stretch.kind in ("done", "to-do"))
        bars = [Bar(round(_NAMES + each.begins * minute, 1), _wide(each, minute), each.kind) for each in ordered]
        name = lane.name if len(lane.name) <= _LONGEST_NAME else f"{lane.name[: _LONGEST_NAME - 1]}…"
        rows.append(Row(name, _TOP + nth * _ROW + _ROW // 2, bars))
    every = next((tick for tick in _TICKS if tick * minute >= 44), _TICKS[-1])
    ticks = [(round(_NAMES + at * minute, 1), at) for at in range(0, math.floor(span) + 1, every)]
    height = _TOP + len(rows) * _ROW + 6
    return Drawing(width, height, rows, ticks, round(_NAMES + lanes.now * minute, 1), round(minute, 3))


def _wide(stretch: Any, minute: float) -> float:
    return round(max((stretch.ends - stretch.begins) * minute, _NARROWEST), 1)
