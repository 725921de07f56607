"""The kinds of place, as data: what each asks for, what can hurt there, how a sample is drawn."""

from collections.abc import Collection
from pathlib import Path
from typing import Literal, NamedTuple

from kessa.core.checked import Checked
from kessa.core.datafile import data_file, read_toml
from kessa.core.quantities.units import CUBIC_FOOT_L, POUND_KG, PSI_BAR, UNITS

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
    "m": ("ft", UNITS["ft"].size), "mm": ("in", 1000 * UNITS["in"].size), "bar": ("psi", PSI_BAR),
    "kg/h": ("lb/h", POUND_KG), "m³/h": ("ft³/h", CUBIC_FOOT_L / 1000),
}  # fmt: skip


class Measure(NamedTuple):
    """In which unit a fact is written for a reader: how much of its own unit one of that is, and where its 0 lies."""

    unit: str
    size: float = 1.0
    zero: float = 0.0

    def written(self, value: float) -> float:
        """Return a number in its own unit as the reader has it; as it is where that is the same."""
        same = self.size == 1 and not self.zero
        return value if same else float(f"{(value - self.zero) / self.size:.6g}")

    def kept(self, value: float) -> float:
        """Return a number of the reader's in its own unit."""
        return value * self.size + self.zero


def measure_of(unit: str, system: str) -> Measure:
    """Return in which unit a fact is written for a reader of a system.

    >>> measure_of("bar", "us").unit, measure_of("L", "metric"), round(measure_of("°C", "us").written(85))
    ('psi', Measure(unit='L', size=1.0, zero=0.0), 185)
    """
    if system not in _GALLON:
        return Measure(unit)
    if unit in _BY_GALLON:
        written, times = _BY_GALLON[unit]
        return Measure(written.format(_GALLON[system]), _GALLON_L[system] * times)
    if unit == "°C":
        return Measure("°F", 1 / 1.8, -32 / 1.8) if system == "us" else Measure(unit)
    return Measure(*_CUSTOMARY.get(unit, (unit,)))


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

    @property
    def has_volume(self) -> bool:
        """Whether it holds a volume of water that is written down."""
        return any(fact.name == "volume_l" for fact in self.facts)


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
