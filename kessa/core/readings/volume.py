"""Titrant measured by a burette."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from random import Random
from typing import Any, ClassVar, Literal

from pydantic import Field

from kessa.core.checked import Checked, NotNegative, Positive
from kessa.core.errors import CannotCompute, checked_number, finite
from kessa.core.quantities.quantity import plain
from kessa.core.readings.axis import Axis
from kessa.core.readings.kind import Determined, DrawnScale, Kind, Span, to_step

# As much titrant as several burettes hold.
_MOST_ML = 1000.0
_UPWARD = "The end lies above the start on the burette: read both again."


class Used(Checked):
    """Titrant used, in mL."""

    ml: NotNegative


class Volume(Kind):
    """A titration to a volume: value = (ml − blank_ml)·normality·equivalent weight·1000/sample_ml.

    `normality` in eq/L, `eq_weight` in g/eq; the general formula of titrimetry (equivalents in = equivalents out).
    """

    kind: Literal["volume"] = "volume"
    normality: Positive = Field(title="Normality of the titrant, eq/L")
    eq_weight: Positive = Field(title="Equivalent weight, g/eq", description="such as 50.04 for CaCO3")
    sample_ml: Positive = Field(title="Sample, mL")
    blank_ml: NotNegative = Field(default=0.0, title="Titrant a blank takes, mL")
    resolution_ml: NotNegative = Field(default=0.0, title="Finest mark of the burette, mL")

    Reading: ClassVar[type[Checked]] = Used
    asked_as: ClassVar[str] = "A burette: millilitres of titrant"
    rank: ClassVar[int] = 6
    drawings: ClassVar[tuple[str, ...]] = ("burette",)
    to_start: ClassVar[dict[str, Any]] = {
        "normality": 0.02,
        "eq_weight": 50.0,
        "sample_ml": 50.0,
        "resolution_ml": 0.05,
    }
    example: ClassVar[dict[str, str]] = {"ml": "Titrant used, mL"}
    brought_from: ClassVar[tuple[str, ...]] = ("start", "end", "used_before")

    def read(self, reading: Used) -> Determined:
        """The interval is half the burette's resolution to either side; nothing is below 0."""
        used = reading.ml - self.blank_ml
        low, value, high = (self._result(used + side * self.resolution_ml / 2) for side in (-1, 0, 1))
        quantity = self.point(value, low, high)
        less = f" − {plain(self.blank_ml)} blank" if self.blank_ml else ""
        line = (
            f"({plain(reading.ml)}{less}) mL × {plain(self.normality)} × {plain(self.eq_weight)} × 1000"
            f" / {plain(self.sample_ml)} mL = {self.written(quantity)}"
        )
        return Determined(quantity, None, (line,))

    def _result(self, used_ml: float) -> float:
        per_ml = finite(self.normality * self.eq_weight * 1000 / self.sample_ml, "sample_ml")
        return finite(max(used_ml, 0.0) * per_ml, "ml")

    def brought(self, raw: Mapping[str, Any]) -> tuple[dict[str, Any], tuple[str, ...]]:
        """Take the burette's `end` less its `start` (mL, rising), after `used_before` mL of earlier fills."""
        reading, _ = super().brought(raw)
        if "start" not in reading and "end" not in reading:
            return reading, ()
        start, end = (checked_number(reading.pop(key, 0.0), key) for key in ("start", "end"))
        before = checked_number(reading.pop("used_before", 0.0), "used_before")
        if start < 0 or before < 0:
            raise CannotCompute("A burette is read from 0 up.", "start" if start < 0 else "used_before")
        if end < start:
            raise CannotCompute(_UPWARD, "end")
        ml = end - start + before
        earlier = f"{plain(before)} from earlier fills + " if before else ""
        return {**reading, "ml": ml}, (f"{earlier}{plain(end)} − {plain(start)} = {plain(ml)} mL used",)

    @property
    def spans(self) -> dict[str, Span]:
        """The titrant; start and end are read off their drawings."""
        return {**super().spans, **dict.fromkeys(("ml", "used_before"), Span("The titrant used", 0.0, _MOST_ML, "mL"))}

    def axes(self, shown_in: Sequence[str] = (), paths_mm: Sequence[float] = ()) -> tuple[Axis, ...]:
        """Return the titrant used: end less start, and earlier fills."""
        return (
            Axis(
                lambda x: {"start": 0.0, "end": x},
                most=_MOST_ML + 100,
                weights={"end": 1.0, "start": -1.0, "used_before": 1.0},
                usual={"used_before": 0.0},
                rising=("start", "end"),
                else_=_UPWARD,
            ),
        )

    def drawn_scales(self, drawn_as: str) -> tuple[DrawnScale, ...]:
        """Return the burette at the start and at the end; a scale of 25 mL where the part says nothing else."""
        step = self.resolution_ml or 0.05
        return tuple(
            DrawnScale(field, f"Burette at the {field}", "mL", 0.0, 25.0, step, vertical=True, down=True)
            for field in ("start", "end")
        )

    def said(self, reading: Mapping[str, Any], unit_of_count: str) -> str:
        """Say the titrant used."""
        return f"{plain(self.brought(reading)[0]['ml'])} mL"

    def simulated(self, strength: float, chance: Random) -> dict[str, Any]:
        """Read the burette at the start and at the end."""
        used = strength * chance.gauss(1.0, 0.01) / self._result(1.0) + self.blank_ml
        start = to_step(0.05, chance.uniform(0, 2))
        return {"start": start, "end": round(start + to_step(self.resolution_ml or 0.05, used), 6)}
