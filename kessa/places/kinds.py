"""The kinds of place, as data: what each asks for, what can hurt there, how a sample is drawn."""

from functools import cache
from pathlib import Path

from django import forms

from kessa.core.datafile import Strict, read_toml


class Fact(Strict):
    """Something a kind of place asks for: a number where it has a unit or bounds, else a line of text."""

    name: str
    label: str
    unit: str = ""
    least: float | None = None
    most: float | None = None
    whole: bool = False

    def field(self) -> forms.Field:
        """Return the form field that asks for it."""
        label = f"{self.label}, {self.unit}" if self.unit else self.label
        if self.least is None:
            return forms.CharField(label=label, max_length=200, required=False)
        number = forms.IntegerField if self.whole else forms.FloatField
        return number(label=label, min_value=self.least, max_value=self.most, required=False)


class PlaceKind(Strict):
    """A kind of place."""

    key: str
    name: str
    about: str
    caution: str
    sampling: str
    has_depth: bool = False
    is_plant: bool = False
    facts: tuple[Fact, ...]


class _Kinds(Strict):
    kinds: tuple[PlaceKind, ...]


@cache
def place_kinds() -> dict[str, PlaceKind]:
    """Return the kinds of place by key; raises BadDataFile on a faulty file."""
    return {kind.key: kind for kind in read_toml(Path(__file__).with_name("kinds.toml"), _Kinds).kinds}
