"""What every kind of test shares: unit and form, precision, dilution, the working, and how it is asked and drawn."""

from __future__ import annotations

import math
from abc import abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import replace
from random import Random
from typing import Any, ClassVar, NamedTuple

from pydantic import Field

from kessa.core.checked import Checked, NotNegative, check
from kessa.core.errors import CannotCompute, finite
from kessa.core.quantities.quantity import Quantity, plain
from kessa.core.quantities.spread import SIGMAS
from kessa.core.quantities.units import can_be
from kessa.core.readings.axis import Axis

# What is noted with a reading of any kind and does not enter the arithmetic; so does the temperature, but for meters.
BESIDE = ("sensor", "temperature_c")


class Determined(NamedTuple):
    """One reading as a result: the quantity, what to do when the range was left, and the arithmetic in words."""

    quantity: Quantity
    next: str | None
    working: tuple[str, ...]


class DrawnScale(NamedTuple):
    """A scale that is read off a drawing: the field it fills, its words, its unit, and its marks."""

    field: str
    words: str
    unit: str
    least: float
    most: float
    step: float
    vertical: bool
    down: bool = False


class Span(NamedTuple):
    """Something that is typed, in words: between which numbers, both among them, it can be, and in which unit."""

    words: str
    least: float
    most: float
    unit: str = ""


class Option(NamedTuple):
    """Something to choose: `reading` is what it means, `place` where it stands on its card (None beside it)."""

    kind: str
    words: str
    short: str
    reading: dict[str, Any]
    place: int | None = None


class Kind(Checked):
    """A kind of test: the numbers a method of it needs, and everything that follows from them.

    A subclass names what is read (`Reading`), turns it into a quantity (`read`), and says how people write, draw,
    practise and begin it. `unit` and `form` are those of the result.
    """

    kind: str
    unit: str
    form: str | None = Field(default=None, alias="as")
    precision_percent: NotNegative = Field(default=0.0, title="Good to ±, percent")
    precision_abs: NotNegative = Field(default=0.0, title="Good to ± at least, in the unit of the result")

    Reading: ClassVar[type[Checked]]
    # What it is for, in the words of the job, and its place among them.
    asked_as: ClassVar[str]
    rank: ClassVar[int] = 100
    # How its reading may be drawn, the default first.
    drawings: ClassVar[tuple[str, ...]]
    # Whether units are added one by one, and whether a blank of its own checks it.
    counted: ClassVar[bool] = False
    has_blank: ClassVar[bool] = False
    # Whether blanks, standards and spikes make sense.
    can_be_checked: ClassVar[bool] = True
    # Whether two steps bound what was read in between, so that a school chooses.
    has_gaps: ClassVar[bool] = False
    # Numbers to start a method of one's own from, and what is read in an example: field and label.
    to_start: ClassVar[dict[str, Any]] = {}
    example: ClassVar[dict[str, str]]
    # Keys that the bench may send besides those of `Reading`.
    brought_from: ClassVar[tuple[str, ...]] = ()

    @abstractmethod
    def read(self, reading: Any) -> Determined:
        """Turn a reading into a result before dilution and precision; raises CannotCompute."""

    @abstractmethod
    def said(self, reading: Mapping[str, Any], unit_of_count: str) -> str:
        """Say one reading as people write it."""

    def said_together(self, readings: Sequence[Mapping[str, Any]], unit_of_count: str) -> str:
        """Say the readings of several runs."""
        return "; ".join(self.said(reading, unit_of_count) for reading in readings)

    @abstractmethod
    def simulated(self, strength: float, chance: Random) -> dict[str, Any]:
        """Return what a careful person would read in water of `strength` (the result's unit)."""

    @property
    def floor(self) -> float | None:
        """What no interval goes below; None for what may be negative."""
        return 0.0

    @property
    def reach(self) -> float | None:
        """The highest result, in the result's unit; None where there is no end to it."""
        return None

    @property
    def least(self) -> float | None:
        """The lowest result that is told apart from nothing, where the numbers say so."""
        return None

    @property
    def options(self) -> tuple[Option, ...]:
        """What there is to choose from, where a reading is a choice."""
        return ()

    @property
    def card(self) -> tuple[float, ...]:
        """The printed steps it is read against; none where there are none."""
        return ()

    @property
    def spans(self) -> dict[str, Span]:
        """Within what each field of a reading can be, as it is typed: what lies beyond is a slip of the hand."""
        return {"temperature_c": Span("The temperature", *can_be("degC"), "degC")}

    def in_own_unit(self, field: str, value: float, raw: Mapping[str, Any]) -> float:
        """Return what was typed into a field in the unit of its span."""
        return value

    def drawn_scales(self, drawn_as: str) -> tuple[DrawnScale, ...]:
        """Return the scales that are read off a drawing."""
        return ()

    def axes(self, shown_in: Sequence[str] = (), paths_mm: Sequence[float] = ()) -> tuple[Axis, ...]:
        """Return the ways of reading, each as one number: units a display may show, and cells that there are."""
        return tuple(Axis.of_choice(option.reading) for option in self.options)

    def brought(self, raw: Mapping[str, Any]) -> tuple[dict[str, Any], tuple[str, ...]]:
        """Bring a reading as people take it to what is computed with, and the lines of working that led there."""
        return {key: value for key, value in raw.items() if key not in BESIDE}, ()

    def with_blank(self, reading: dict[str, Any], took: float, school: str) -> tuple[Kind, dict[str, Any]]:
        """Return how a reading is computed after a blank that took so many units, where such a blank bears on it."""
        return self, reading

    def as_read(self, reading: Mapping[str, Any]) -> Kind:
        """Return the numbers that hold for a reading, where how it was taken bears on them."""
        return self

    @classmethod
    def reading_keys(cls) -> tuple[str, ...]:
        """What may be read, besides what is noted with a reading of any kind."""
        return (*cls.Reading.model_fields, *cls.brought_from)

    def determine(self, reading: Any, dilution: float = 1.0) -> Determined:
        """Turn a reading into a result: the kind's rule, then dilution (≥ 1), then the method's precision.

        Raises CannotCompute on the innermost name at fault.
        """
        if isinstance(reading, Mapping) and not any(reading.get(key) is not None for key in self.Reading.model_fields):
            raise CannotCompute(f"The reading needs {' or '.join(self.Reading.model_fields)}.", "reading")
        quantity, following, working = self.read(check(self.Reading, reading, "reading"))
        if dilution != 1:
            quantity = quantity.diluted(dilution)
            working += (f"Sample diluted 1 in {plain(dilution)}: × {plain(dilution)} = {self.written(quantity)}",)
        half_width = self.half_width(quantity.value, dilution)
        if half_width > 0 and quantity.censor is None:
            quantity = quantity.widened(half_width, self.floor)
            working += (f"The method is good to ± {plain(half_width)} {self.unit} at best",)
        return Determined(quantity, following, (*working, truth_in_words(quantity)))

    def likely(self, found: Quantity, dilution: float = 1.0) -> tuple[Quantity, str]:
        """Return a result as good as its errors are together, and how they come together; here as it is."""
        return found, ""

    @staticmethod
    def within(found: Quantity, low: float, high: float) -> Quantity:
        """Return a result with narrower ends, which still hold its value."""
        top = found.value if found.high is None else found.high
        return replace(found, low=max(found.low, min(low, found.value)), high=min(top, max(high, found.value)))

    def half_width(self, value: float, dilution: float = 1.0) -> float:
        """Return how far the truth may lie from a value by the method's precision: the larger of its two figures."""
        wide = max(self.precision_percent / 100 * abs(value), self.precision_abs * dilution)
        return finite(wide, "precision_abs" if self.precision_abs else "precision_percent")

    def point(self, value: float, low: float, high: float) -> Quantity:
        """Return a value with both ends of its interval, in the result's unit and form."""
        return Quantity(value, low, high, None, self.unit, self.form)

    def at_most(self, value: float) -> Quantity:
        """Return what is only known to lie at or below a value."""
        return Quantity(value, 0.0, value, "<", self.unit, self.form)

    def above(self, value: float) -> Quantity:
        """Return what is only known to lie above a value."""
        return Quantity(value, value, None, ">", self.unit, self.form)

    def written(self, quantity: Quantity) -> str:
        """Write a quantity with its unit and form, or in words."""
        form = f" as {self.form}" if self.form else ""
        return quantity.words or f"{quantity.censor or ''}{plain(quantity.value)} {self.unit}{form}"


def evenly(unit: float) -> float:
    """Return how far 95 of 100 lie from the middle of a unit within which all is as likely: 1.96·unit/√12."""
    return SIGMAS * unit / math.sqrt(12)


def truth_in_words(quantity: Quantity) -> str:
    """Say where the truth lies, as far as a reading tells."""
    if quantity.words:
        return "It says nothing of how much"
    if quantity.high is None:
        return f"The truth is likely above {plain(quantity.low)} {quantity.unit}"
    if quantity.censor == "<":
        return f"The truth is likely at or below {plain(quantity.high)} {quantity.unit}"
    return f"The truth likely lies between {plain(quantity.low)} and {plain(quantity.high)} {quantity.unit}"


def to_step(step: float, value: float) -> float:
    """Return a value to the nearest mark of a scale, as one reads it in practice."""
    return round(round(value / step) * step, 6)
