"""The scales of what is noted on a visit, as data."""

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any, Literal, Self

from pydantic import model_validator

from kessa.core.checked import Checked
from kessa.core.datafile import data_file, read_toml
from kessa.core.quantities.quantity import plain
from kessa.core.quantities.units import can_be, convert, sign

IN_PLACE = "in place"
# Where several words are true the value is this and a bit for each: 1 for the first word, 2, 4 and so on.
SEVERAL = 1000


class Scale(Checked):
    """One circumstance or in-place reading: words in order, or a number with its unit and bounds."""

    key: str
    label: str
    group: Literal["weather", "water", "plant", "in place"]
    places: tuple[str, ...]
    words: tuple[str, ...] = ()
    several: bool = False
    unit: str = ""
    # Other units its instruments show.
    also: tuple[str, ...] = ()
    least: float = 0.0
    most: float = 0.0
    # The house method that reads the same: as exact as its result is what is read in place.
    method: str = ""
    how: str = ""

    @model_validator(mode="before")
    @classmethod
    def _as_far_as_its_unit(cls, given: Any) -> Any:
        """Where a file names no bounds, the scale goes as far as its unit does."""
        if not isinstance(given, Mapping) or not given.get("unit") or "most" in given:
            return given
        least, most = can_be(str(given["unit"]))
        return {"least": least, "most": most, **given}

    @model_validator(mode="after")
    def _words_or_number(self) -> Self:
        if bool(self.words) == bool(self.unit):
            raise ValueError(f"{self.key}: words or a unit, not both")
        return self

    @property
    def sign(self) -> str:
        """The unit as people write it."""
        return sign(self.unit)

    @property
    def units(self) -> tuple[str, ...]:
        """The units in which it may be read, its own first."""
        return (self.unit, *self.also)

    def brought_from(self, display: float, unit: str) -> float:
        """Return what a display shows in one of its units, in its own; raises CannotCompute."""
        return convert(display, unit, None, self.unit, None) if unit != self.unit else display

    def holds(self, value: float) -> bool:
        """Whether a value lies on the scale."""
        if self.words:
            if value != int(value) or not 0 <= value < SEVERAL + 2 ** len(self.words):
                return False
            chosen = self.chosen(value)
            return len(chosen) == 1 if value < SEVERAL else self.several and len(chosen) > 1 and 0 not in chosen
        return self.least <= value <= self.most

    def chosen(self, value: float) -> tuple[int, ...]:
        """Return the places of the words that a value stands for; none where it stands for no word."""
        whole = int(value)
        places = range(len(self.words))
        return tuple(n for n in places if (whole - SEVERAL >> n & 1 if whole >= SEVERAL else n == whole))

    def of_several(self, places: Sequence[int]) -> float | None:
        """Return the value that stands for words by their places; None for no word."""
        if len(places) < 2:
            return float(places[0]) if places else None
        return float(SEVERAL + sum(1 << place for place in places))

    def said(self, value: float) -> str:
        """Say a value on the scale."""
        if not self.words:
            return f"{plain(value)} {self.sign}"
        return " and ".join(self.words[place] for place in self.chosen(value))


class _Scales(Checked):
    scales: tuple[Scale, ...]


@data_file
def scales() -> dict[str, Scale]:
    """Return every scale by key, in the order of the visit; raises BadDataFile on a faulty file."""
    return {scale.key: scale for scale in read_toml(Path(__file__).with_suffix(".toml"), _Scales).scales}


def scales_for(kind_key: str) -> list[Scale]:
    """Return the scales a kind of place asks for."""
    return [scale for scale in scales().values() if kind_key in scale.places]
