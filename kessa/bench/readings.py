"""What may be read on the bench, part by part, for the page that takes it."""

import json
from itertools import pairwise
from typing import Any, NamedTuple

from kessa.bench.models import Determination
from kessa.core.methods.parts import Chip, Part
from kessa.core.quantity import plain


class Option(NamedTuple):
    """Something to choose on a scale: a step, a gap between two, or beyond an end. `reading` is what it means."""

    kind: str
    words: str
    short: str
    reading: str
    chip: Chip | None = None
    shade: int = 0


class Input(NamedTuple):
    """How a part is read: the options of a scale, and whether the part of the way between two steps is judged."""

    part: Part
    options: list[Option]
    judged: bool
    at_once: bool


_BEYOND = {
    "pad": ("before the first", "past the last"),
    "tube": ("lost below the first mark", "seen beyond the last mark"),
    "discs": ("clearer than the first disc", "cloudier than the last disc"),
    "thermometer": ("below the first field", "above the last field"),
}
_PATTERN = {"below": "seen", "between": "blurred", "above": "lost"}


def inputs_of(determination: Determination, between_school: str) -> list[Input]:
    """Return how each part that is read, not counted, is read under the team's school for colours between two steps."""
    method = determination.method
    read = [part for part in method.parts if not part.counted]
    pads = sum(part.kind == "scale" for part in read) > 1
    quickest_first = sorted(read, key=lambda part: part.read_s or (0, 0))
    # Where a method says by itself which mark counts, no part of the way is judged.
    return [
        Input(
            part,
            _options(part, nearest_only=between_school == "nearest" and part.more_is_clearer is None)
            if part.kind == "scale"
            else [],
            between_school == "judged" and part.more_is_clearer is None,
            pads,
        )
        for part in quickest_first
    ]


def _options(part: Part, *, nearest_only: bool) -> list[Option]:
    steps = part.numbers.steps or ()
    below, above = _BEYOND.get(part.drawn_as, ("paler than all", "darker than all"))
    options = [Option("below", below, f"< {plain(steps[0])}", _written(below=True))] if steps[0] > 0 else []
    gaps = {low: (low, high) for low, high in pairwise(steps)}
    for number, step in enumerate(steps):
        chip = part.chips[number] if part.chips else None
        name = f", {chip.name}" if chip else ""
        shade = round(100 * number / max(len(steps) - 1, 1))
        options.append(Option("at", f"{plain(step)}{name}", plain(step), _written(at=step), chip, shade))
        if step in gaps and not nearest_only:
            low, high = gaps[step]
            words = f"between {plain(low)} and {plain(high)}"
            options.append(Option("between", words, "", _written(between=[low, high])))
    options.append(Option("above", above, f"> {plain(steps[-1])}", _written(above=True)))
    if part.drawn_as == "pattern":
        kinds = {option.kind: option for option in options}
        return [kinds[kind]._replace(words=words, short=words) for kind, words in _PATTERN.items()]
    return options


def _written(**reading: Any) -> str:
    return json.dumps(reading)
