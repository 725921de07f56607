"""Scales that are read off a drawing: a syringe, a burette, a refractometer's eyepiece, a strip with a white peak."""

from typing import Any, NamedTuple

from kessa.core.methods.parts import Part

LENGTH = 300
_MOST_TICKS = 120
_LABELS = 12


class DrawnScale(NamedTuple):
    """A scale from `least` to `most` in steps of `step`, drawn along `length` units from the mark of `least`.

    `ticks` are (distance from that mark, label or ""), `vertical` whether it stands, `down` whether it counts downward.
    """

    field: str
    words: str
    unit: str
    least: float
    most: float
    step: float
    ticks: list[tuple[float, str]]
    vertical: bool
    down: bool = False
    length: int = LENGTH


def drawn_scale(part: Part, field: str = "") -> DrawnScale:
    """Lay out the scale on which a part is read."""
    numbers = part.numbers
    if part.kind == "volume":
        words = {"start": "Burette at the start", "end": "Burette at the end"}[field]
        return _laid_out(field, words, "mL", 0.0, part.holds_ml or 25.0, numbers.resolution_ml or 0.05, True, down=True)
    if part.kind == "chart":
        marks = [mark for mark, _ in numbers.pairs or ((0.0, 0.0), (1.0, 0.0))]
        return _laid_out("mark", "Tip of the peak", "mark", 0.0, marks[-1] * 1.1, 0.1, True)
    standing = part.drawn_as == "refractometer"
    words = "Edge of the shadow" if standing else "Ring of the plunger"
    unit = part.unit if standing else "on the scale"
    return _laid_out("scale", words, unit, 0.0, numbers.full_scale or 1.0, numbers.resolution or 0.01, standing)


def _laid_out(
    field: str, words: str, unit: str, least: float, most: float, step: float, vertical: bool, *, down: bool = False
) -> DrawnScale:
    count = round((most - least) / step)
    every = next(n for n in (1, 2, 5, 10, 20, 50, 100, 1000) if count / n <= _MOST_TICKS)
    labelled = next(
        n for n in (1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 5000) if count / n <= _LABELS and n % every == 0
    )
    ticks: list[tuple[float, Any]] = []
    for number in range(0, count + 1, every):
        value = least + number * step
        ticks.append((round(LENGTH * number / count, 1), f"{value:g}" if number % labelled == 0 else ""))
    return DrawnScale(field, words, unit, least, round(least + count * step, 6), step, ticks, vertical, down)
