"""Scales that are read off a drawing: a syringe, a burette, a refractometer's eyepiece, a strip with a white peak."""

from typing import NamedTuple

from kessa.core.methods.parts import Part
from kessa.core.readings.kind import DrawnScale

LENGTH = 300
_MOST_TICKS = 120
_LABELS = 12


class LaidOut(NamedTuple):
    """A scale drawn along `length` units from the mark of its least: `ticks` are (distance from that mark, label)."""

    scale: DrawnScale
    ticks: list[tuple[float, str]]
    length: int = LENGTH


def lay_out(part: Part, field: str = "") -> LaidOut:
    """Lay out a scale on which a part is read: the only one, or the one that fills `field`."""
    scale = next(each for each in part.drawn_scales if field in ("", each.field))
    count = round((scale.most - scale.least) / scale.step)
    every = next(n for n in (1, 2, 5, 10, 20, 50, 100, 1000) if count / n <= _MOST_TICKS)
    labelled = next(
        n for n in (1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 5000) if count / n <= _LABELS and n % every == 0
    )
    ticks: list[tuple[float, str]] = []
    for number in range(0, count + 1, every):
        value = scale.least + number * scale.step
        ticks.append((round(LENGTH * number / count, 1), f"{value:g}" if number % labelled == 0 else ""))
    return LaidOut(scale._replace(most=round(scale.least + count * scale.step, 6)), ticks)
