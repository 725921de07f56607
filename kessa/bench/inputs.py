"""What may be read on the bench, part by part, for the page that takes it: each kind by its own template."""

import json
from typing import NamedTuple

from kessa.bench.models import Determination
from kessa.core.methods.parts import Chip, Part


class Choice(NamedTuple):
    """Something to choose on a scale: a step, a gap between two, or beyond an end. `reading` is what it means."""

    kind: str
    words: str
    short: str
    reading: str
    chip: Chip | None = None
    shade: int = 0


class Input(NamedTuple):
    """How a part is read: the options of a scale, and whether the part of the way between two steps is judged.

    `id` is its own among all fields of a page, on which several tests may stand.
    """

    id: str
    part: Part
    options: list[Choice]
    judged: bool
    at_once: bool

    @property
    def reads_the_unit(self) -> bool:
        """Whether what is read is in the unit of the result: a mark, or mL of a burette, is not."""
        return all(scale.unit == self.part.unit for scale in self.part.numbers.drawn_scales(self.part.drawn_as))

    @property
    def template(self) -> str:
        """The template of its kind."""
        return f"bench/read/{self.part.kind}.html"


_BEYOND = {
    "pad": ("less than the first", "more than the last"),
    "tube": ("lost below the first mark", "seen beyond the last mark"),
    "discs": ("clearer than the first disc", "cloudier than the last disc"),
    "thermometer": ("below the first field", "above the last field"),
}
_PATTERN = {"below": "seen", "between": "blurred", "above": "lost"}


def inputs_of(determination: Determination, between_school: str) -> list[Input]:
    """Return how each part that is read, not counted, is read under the team's school for colours between two steps."""
    method = determination.method
    read = [part for part in method.parts if not part.counted]
    pads = sum(bool(part.numbers.options) for part in read) > 1
    quickest_first = sorted(read, key=lambda part: part.read_s or (0, 0))
    # Where a method says by itself which mark counts, no part of the way is judged.
    return [
        Input(
            f"{determination.pk}-{part.key}",
            part,
            _options(part, nearest_only=between_school == "nearest" and part.more_is_clearer is None),
            between_school == "judged" and part.numbers.has_gaps and part.more_is_clearer is None,
            pads,
        )
        for part in quickest_first
    ]


def _options(part: Part, *, nearest_only: bool) -> list[Choice]:
    """Return what there is to choose from, in the words of how the part is drawn."""
    below, above = _BEYOND.get(part.drawn_as, ("paler than all", "darker than all"))
    on_card = max(len([option for option in part.numbers.options if option.place is not None]) - 1, 1)
    choices = []
    for option in part.numbers.options:
        if option.kind == "between" and nearest_only:
            continue
        chip = part.chips[option.place] if part.chips and option.place is not None else None
        words = option.words or {"below": below, "above": above}[option.kind]
        words = f"{words}, {chip.name}" if chip else words
        shade = round(100 * (option.place or 0) / on_card)
        choices.append(Choice(option.kind, words, option.short, json.dumps(option.reading), chip, shade))
    if part.drawn_as == "pattern":
        kinds = {choice.kind: choice for choice in choices}
        return [kinds[kind]._replace(words=words, short=words) for kind, words in _PATTERN.items()]
    return choices
