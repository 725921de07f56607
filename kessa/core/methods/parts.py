"""What a method finds out: a parameter by a kind of reading, with its numbers, and how the reading is seen."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Annotated, Any, Literal, Self

from pydantic import Field, StringConstraints, model_validator

from kessa.core.arguments import CannotCompute
from kessa.core.datafile import Strict
from kessa.core.quantity import Quantity, plain
from kessa.core.readings import KINDS
from kessa.core.readings.kind import Determined, Kind
from kessa.core.readings.raw import RAW_KEYS, as_read, in_words
from kessa.core.species import FORMS
from kessa.core.units import convert

# No NUL: PostgreSQL keeps none.
Text = Annotated[str, StringConstraints(min_length=1, max_length=600, strip_whitespace=True, pattern=r"^[^\x00]*$")]
Name = Annotated[Text, StringConstraints(max_length=60)]
UnitName = Annotated[Text, StringConstraints(max_length=20)]
Key = Annotated[str, StringConstraints(pattern=r"^[a-z0-9-]+$", max_length=60)]
Positive = Annotated[float, Field(gt=0)]

# How each kind of reading may be drawn, its default first.
DRAWINGS = {
    "count": ("vessel",),
    "volume": ("burette",),
    "direct": ("syringe", "refractometer"),
    "difference": ("two vessels",),
    "scale": ("chips", "pad", "tube", "pattern", "discs", "thermometer"),
    "chart": ("mark",),
    "photometer": ("photometer",),
    "meter": ("meter",),
    "depth": ("disc",),
}
COUNTED = ("count", "difference")


class Titrant(Strict):
    """What one unit holds, and into how much sample it goes: the chemistry behind `numbers.per` or `multiplier`.

    A unit is a drop of `drop_ml` at `normality`, or holds `unit_meq` of titrant by itself, as a tablet does.
    """

    name: Text
    normality: Positive | None = None
    drop_ml: Positive | None = None
    unit_meq: Positive | None = None
    sample_ml: Positive
    equivalent_of: Text
    equivalents_per_mole: Annotated[int, Field(gt=0)] = 1

    @model_validator(mode="after")
    def _whole(self) -> Self:
        if (self.unit_meq is None) == (self.normality is None or self.drop_ml is None):
            raise ValueError("give normality and drop_ml, or else unit_meq")
        if self.equivalent_of not in FORMS:
            raise ValueError(f"equivalent_of: no form {self.equivalent_of}")
        return self

    def worth_of_a_unit(self) -> float:
        """Return mg/L a unit: milliequivalents in it × equivalent weight × 1000 / sample volume."""
        meq = self.unit_meq or (self.drop_ml or 0.0) * (self.normality or 0.0)
        return meq * FORMS[self.equivalent_of].molar_mass / self.equivalents_per_mole * 1000 / self.sample_ml


class Numbers(Strict):
    """The numbers by which a reading becomes a result; which of them a kind takes is in kessa.core.readings."""

    per: float | None = None
    background: float | None = None
    report: str | None = None
    stop_at: Annotated[int, Field(gt=0, le=200)] | None = None
    next_range: Key | None = None
    normality: float | None = None
    eq_weight: float | None = None
    sample_ml: float | None = None
    blank_ml: float | None = None
    resolution_ml: float | None = None
    multiplier: float | None = None
    resolution: float | None = None
    full_scale: float | None = None
    steps: tuple[float, ...] | None = None
    between: str | None = None
    pairs: tuple[tuple[float, float], ...] | None = None
    rule: str | None = None
    range: tuple[float, float] | None = None
    reagent_blank: float | None = None
    slope: float | None = None
    intercept: float | None = None
    slope_path_mm: float | None = None
    per_degree: float | None = None
    reference_c: float | None = None
    precision_percent: float | None = None
    precision_abs: float | None = None


class Colour(Strict):
    """A colour to look for, with a name for readers who tell colours poorly."""

    role: Literal["not yet", "stays", "too far"]
    name: Text
    value: Annotated[str, StringConstraints(pattern=r"^#[0-9a-f]{6}$")]


class Chip(Strict):
    """The colour of a step on a screen, and its name; the kit's card decides."""

    name: Text
    value: Annotated[str, StringConstraints(pattern=r"^#[0-9a-f]{6}$")] = "#ffffff"


class Also(Strict):
    """Another form in which the kit itself gives the result: `times` the main one, as the kit rounds it."""

    form: Text = Field(alias="as")
    times: Positive


class Window(Strict):
    """A stretch that is wanted, in the part's unit: what a programme or maker asks for."""

    min: float | None = None
    max: float | None = None
    source: Text = "the method's own sheet"

    @model_validator(mode="after")
    def _a_stretch(self) -> Self:
        if self.min is None and self.max is None:
            raise ValueError("give min or max")
        if self.min is not None and self.max is not None and self.min > self.max:
            raise ValueError("min is above max")
        return self


def _check(what: str, unit: str, form: str | None, to_unit: str, to_form: str | None) -> None:
    try:
        convert(1.0, unit, form, to_unit, to_form)
    except CannotCompute as error:
        raise ValueError(f"{what}: {error.message}") from error


class Part(Strict):
    """One thing a method finds out. Most methods have one part; a strip has one a pad, a staged test one a stage."""

    key: Key = "main"
    parameter: Name
    kind: Literal["count", "volume", "direct", "difference", "scale", "chart", "photometer", "meter", "depth"]
    unit: UnitName
    form: Text | None = Field(default=None, alias="as")
    numbers: Numbers = Numbers()
    draw: str = ""
    unit_of_count: UnitName = "drop"
    titrant: Titrant | None = None
    also: tuple[Also, ...] = ()
    wanted: Window | None = None
    detects: Positive | None = None
    colours: tuple[Colour, ...] = ()
    chips: tuple[Chip, ...] = ()
    # Of a clarity tube: whether a higher mark claims more clarity. None where the scale is not one of clarity.
    more_is_clearer: bool | None = None
    # When it may be read, in seconds since the last clock was started: from, to.
    read_s: tuple[Annotated[int, Field(ge=0)], Annotated[int, Field(gt=0)]] | None = None
    # The supply whose lot brings the conversion table along.
    table_of: Key | None = None
    # Units a display may show besides the part's own.
    display_units: tuple[Text, ...] = ()
    # Whether the water's temperature is read with it.
    with_temperature: bool = False
    # Whether each reading uses a sensor of its own, whose number is noted.
    with_sensor: bool = False
    # mL in a full burette; a refill is read as a further start and end.
    holds_ml: Positive | None = None
    # Cell lengths, in mm, that the instrument takes.
    paths_mm: tuple[Positive, ...] = ()

    @model_validator(mode="after")
    def _whole(self) -> Self:
        if self.draw not in ("", *DRAWINGS[self.kind]):
            raise ValueError(f"draw: a {self.kind} is drawn as {' or '.join(DRAWINGS[self.kind])}")
        if self.table_of is None or self.numbers.pairs is not None:
            try:
                self.reader()
            except CannotCompute as error:
                raise ValueError(f"numbers.{error.field}: {error.message}") from error
        if self.counted and self.numbers.stop_at is None:
            raise ValueError("numbers.stop_at: a count needs the number at which the range ends")
        if self.counted and {colour.role for colour in self.colours} != {"not yet", "stays", "too far"}:
            raise ValueError("colours: one each of not yet, stays and too far")
        if self.chips and len(self.chips) != len(self.numbers.steps or ()):
            raise ValueError("chips: one for each step")
        self._check_units()
        return self

    def _check_units(self) -> None:
        if self.form is not None and self.form not in FORMS:
            raise ValueError(f"as: no form {self.form}")
        for unit in self.display_units:
            _check(f"display_units: {unit}", unit, None, self.unit, None)
        for other in self.also:
            _check(f"also: {other.form}", self.unit, self.form, self.unit, other.form)

    @property
    def drawn_as(self) -> str:
        """How the reading is drawn on the bench."""
        return self.draw or DRAWINGS[self.kind][0]

    @property
    def counted(self) -> bool:
        """Whether units are counted one by one."""
        return self.kind in COUNTED

    def determine_arguments(self) -> dict[str, Any]:
        """Return the part as `determine` takes it."""
        numbers = self.numbers.model_dump(mode="json", exclude_none=True)
        if self.kind == "difference":
            numbers.pop("stop_at", None)
        return {"kind": self.kind, "unit": self.unit, "as": self.form, **numbers}

    def reader(self) -> Kind:
        """Return the kind that turns this part's readings into results; raises CannotCompute where numbers lack."""
        return KINDS[self.kind](self.determine_arguments())

    @property
    def reading_keys(self) -> frozenset[str]:
        """The names of what may be read."""
        beside = (["temperature_c"] if self.with_temperature else []) + (["sensor"] if self.with_sensor else [])
        return frozenset({*KINDS[self.kind].reading_keys, *RAW_KEYS.get(self.kind, ()), *beside})

    def determine(self, raw: Mapping[str, Any], dilution: float = 1.0) -> Determined:
        """Turn what was read, as a person reads it, into a result; raises CannotCompute."""
        reading, before = as_read(self.kind, raw)
        determined = self.reader().determine(reading, dilution)
        return determined._replace(working=(*before, *determined.working))

    def said(self, raw: Mapping[str, Any]) -> str:
        """Say a reading as people write it, such as "8 drops" or "1.43 mS/cm"."""
        return in_words(self.kind, raw, self.unit_of_count, self.unit)

    def said_together(self, readings: Sequence[Mapping[str, Any]]) -> str:
        """Say the readings of several runs, such as "8, 7 drops"."""
        said = [self.said(raw) for raw in readings]
        if self.kind == "count" and len(said) > 1:
            counts = [words.split()[0] for words in said]
            return f"{', '.join(counts)} {self.unit_of_count}s"
        return "; ".join(said)

    @property
    def reach(self) -> float | None:
        """The highest result of the range, in the part's unit; None where there is no end to it."""
        numbers = self.numbers
        if self.kind == "count":
            return (numbers.per or 0.0) * ((numbers.stop_at or 0) - (numbers.background or 0.0))
        if self.kind == "scale" and numbers.steps:
            return numbers.steps[-1]
        if self.kind == "photometer" and numbers.range:
            return numbers.range[1]
        if self.kind == "direct" and numbers.full_scale:
            return numbers.full_scale * (numbers.multiplier or 1.0)
        return None

    @property
    def least(self) -> float | None:
        """The lowest result that is told apart from nothing, in the part's unit."""
        numbers = self.numbers
        by_kind = {
            "count": numbers.per,
            "scale": (numbers.steps or (None,))[0],
            "photometer": (numbers.range or (None,))[0],
        }
        return self.detects or by_kind.get(self.kind)

    def written_as(self, quantity: Quantity, form: str | None) -> tuple[Quantity, str]:
        """Return a result of this part in another form, and the line of working: the kit's own factor where it has one.

        Raises CannotCompute where the two forms share nothing.
        """
        if form == self.form:
            return (
                quantity,
                f"as the kit gives it: {quantity.censor or ''}{plain(quantity.value)} {quantity.unit} as {form}",
            )
        own = next((other for other in self.also if other.form == form), None)
        if own:
            times, whose = own.times, "by the kit's own factor"
        else:
            times, whose = convert(1.0, self.unit, self.form, self.unit, form), "by chemistry"
        high = None if quantity.high is None else quantity.high * times
        there = Quantity(quantity.value * times, quantity.low * times, high, quantity.censor, quantity.unit, form)
        line = f"× {plain(times)} {whose} = {there.censor or ''}{plain(there.value)} {there.unit} as {form}"
        return there, line
