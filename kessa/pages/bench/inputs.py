"""What may be read on the bench, part by part, for the page that takes it: each kind by its own template."""

import json
from functools import lru_cache
from typing import Any, NamedTuple

from django.template.loader import render_to_string
from django.utils.safestring import SafeString, mark_safe

from kessa.core.colours.eyes import COLOUR, LATE_BY, distinguished_by
from kessa.core.methods.parts import Chip, Part
from kessa.record.determinations.models import Determination

# Stands in the place of a field's own id.
_ID = "id-of-its-own"


def template_of(kind: str) -> str:
    """Return the template by which a kind of test is read."""
    return f"bench/read/{kind}.html"


class Choice(NamedTuple):
    """Something to choose on a scale: a step, a gap between two, or beyond an end. `reading` is what it means."""

    kind: str
    words: str
    short: str
    reading: str
    chip: Chip | None = None
    shade: int = 0
    # The first and last step that the reader's eyes take for it, where those are others.
    alike: str = ""


class Input(NamedTuple):
    """How a part is read: the options of a scale, and whether the part of the way between two steps is judged.

    `id` is its own among all fields of a page, on which several tests may stand.
    """

    id: str
    part: Part
    options: list[Choice]
    judged: bool
    at_once: bool
    written: SafeString = SafeString()

    @property
    def reads_the_unit(self) -> bool:
        """Whether what is read is in the unit of the result: a mark, or mL of a burette, is not."""
        return all(scale.unit == self.part.unit for scale in self.part.drawn_scales)

    @property
    def template(self) -> str:
        """The template of its kind."""
        return template_of(self.part.kind)

    @property
    def untold(self) -> bool:
        """Whether some colours of its card look alike to who reads it."""
        return any(option.alike for option in self.options)


def end_as_seen(part: Part, eyes: str) -> dict[str, Any]:
    """Return by what such eyes tell the end of a count, for bench/eyes.html; nothing where they do it by colour."""
    roles = {each.role: each for each in part.colours}
    if not eyes or not roles:
        return {}
    before, after = roles["not yet"], roles["stays"]
    difference = distinguished_by(before.value, after.value, eyes)
    # Only of what knows how early the colour began to turn can it be said how late it may have been called.
    late = LATE_BY if not difference and "first_change" in part.numbers.Reading.model_fields else 0
    if difference == COLOUR:
        return {}
    return {"told": difference, "before": before.name, "after": after.name, "late_by": late}


_BEYOND = {
    "pad": ("less than the first", "more than the last"),
    "tube": ("lost below the first mark", "seen beyond the last mark"),
    "discs": ("clearer than the first disc", "cloudier than the last disc"),
    "thermometer": ("below the first field", "above the last field"),
}
_PATTERN = {"below": "seen", "between": "blurred", "above": "lost"}


def inputs_of(determination: Determination, between_school: str, eyes: str = "") -> list[Input]:
    """Return how each part that is read, not counted, is read under the team's school for colours between two steps.

    `eyes` are those of who reads, as User.colours_alike has them.
    """
    read = [part for part in determination.method.parts if not part.counted]
    pads = sum(bool(part.numbers.options) for part in read) > 1
    quickest_first = sorted(read, key=lambda part: part.read_s or (0, 0))
    found = []
    for part in quickest_first:
        own, kept = f"{determination.pk}-{part.key}", _input(part, between_school, eyes, at_once=pads)
        written = mark_safe(kept.written.replace(_ID, own))  # noqa: S308 # a number and a key
        found.append(kept._replace(id=own, written=written))
    return found


@lru_cache(maxsize=1024)
def _input(part: Part, between_school: str, eyes: str, *, at_once: bool) -> Input:
    """Return how a part is read, and that written: of every test by it, all is the same but the id."""
    # Where a method says by itself which mark counts, no part of the way is judged.
    nearest, judged = (between_school == each and part.more_is_clearer is None for each in ("nearest", "judged"))
    options = _options(part, eyes, nearest_only=nearest)
    found = Input(_ID, part, options, judged and part.numbers.has_gaps, at_once)
    return found._replace(written=render_to_string("bench/reading.html", {"input": found}))


def _options(part: Part, eyes: str, *, nearest_only: bool) -> list[Choice]:
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
        taken_for = part.taken_for(option.reading, eyes) if eyes else None
        alike = json.dumps(taken_for) if taken_for else ""
        choices.append(Choice(option.kind, words, option.short, json.dumps(option.reading), chip, shade, alike))
    if part.drawn_as == "pattern":
        kinds = {choice.kind: choice for choice in choices}
        return [kinds[kind]._replace(words=words, short=words) for kind, words in _PATTERN.items()]
    return choices
