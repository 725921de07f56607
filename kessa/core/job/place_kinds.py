"""The kinds of place, as data: what each asks for, what can hurt there, how a sample is drawn."""

from collections.abc import Collection
from pathlib import Path
from typing import Literal

from kessa.core.checked import Checked
from kessa.core.datafile import data_file, read_toml
from kessa.core.quantities.units import UNITS

# By what results are to be acted on: people drink it, it is out of doors, it runs through a plant.
Water = Literal["drinking", "open", "plant"]


class Fact(Checked):
    """Something a kind of place asks for: a number where it has a unit or bounds, else a line of text."""

    name: str
    label: str
    unit: str = ""
    least: float | None = None
    most: float | None = None
    whole: bool = False


# In customary units: which unit people write in place of which, and how much of ours one of it is.
_GALLON_L = {"us": UNITS["gal_us"].size, "imperial": UNITS["gal_imp"].size}
_GALLON = {"us": "US gal", "imperial": "imp. gal"}
_BY_GALLON = {"L": ("{}", 1.0), "L/h": ("{}/min", 60.0), "L/min": ("{}/min", 1.0), "L/day": ("{}/day", 1.0)}
_CUSTOMARY = {
    "m": ("ft", 0.3048), "mm": ("in", 25.4), "bar": ("psi", 0.0689475729), "kg/h": ("lb/h", 0.45359237),
}  # fmt: skip


def measure_of(unit: str, system: str) -> tuple[str, float]:
    """Return in which unit a fact is written for a reader of a system, and how much of its own unit one of that is.

    >>> measure_of("bar", "us"), measure_of("L", "metric")
    (('psi', 0.0689475729), ('L', 1.0))
    """
    if system not in _GALLON:
        return unit, 1.0
    if unit in _BY_GALLON:
        written, times = _BY_GALLON[unit]
        return written.format(_GALLON[system]), _GALLON_L[system] * times
    return _CUSTOMARY.get(unit, (unit, 1.0))


class PlaceKind(Checked):
    """A kind of place. `caution` is what can hurt there, `at_the_bench` what its water brings to every test of it."""

    key: str
    name: str
    about: str
    caution: str
    sampling: str
    at_the_bench: str = ""
    # Of water that may be hot: below what a thermometer in it must show before it is drawn.
    drawn_below_c: float | None = None
    # Where water that was only looked at goes, by its stream and in words.
    leftover_to: str = "back"
    leftover: str = ""
    has_depth: bool = False
    is_plant: bool = False
    water: Water
    facts: tuple[Fact, ...]


class _Kinds(Checked):
    kinds: tuple[PlaceKind, ...]


@data_file
def place_kinds() -> dict[str, PlaceKind]:
    """Return the kinds of place by key; raises BadDataFile on a faulty file."""
    return {kind.key: kind for kind in read_toml(Path(__file__).with_suffix(".toml"), _Kinds).kinds}


def place_kind(key: str) -> PlaceKind:
    """Return a kind of place by its key; of one that is not known here, one that says so and takes nothing for safe."""
    return place_kinds().get(key, _UNKNOWN)


def water_of(kind: str, feeds: Collection[str]) -> Water:
    """Return as what water is looked at: what it is used for decides, before the kind of place it comes from.

    >>> water_of("supply", ["people"]), water_of("supply", ["boiler-feed"]), water_of("well", [])
    ('drinking', 'plant', 'drinking')
    """
    return "drinking" if "people" in feeds else place_kind(kind).water


_UNKNOWN = PlaceKind(
    key="",
    name="a kind of place that this release of Kessa does not know",
    about="What it asks for is not known here.",
    caution="Kessa does not know what can hurt here: ask who knows the place, and go by the local rules.",
    sampling="As who knows the place draws it.",
    water="drinking",
    facts=(),
)
