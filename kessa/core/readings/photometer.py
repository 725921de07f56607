"""A photometer or colorimeter: concentration on the display, absorbance or transmittance with the method's line."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace
from random import Random
from typing import Any, ClassVar, Literal

from pydantic import Field, model_validator

from kessa.core.checked import Checked, NotNegative, Number, Positive, YesNo
from kessa.core.errors import CannotCompute, checked_number, finite
from kessa.core.quantities.quantity import Quantity, plain
from kessa.core.readings.axis import Axis
from kessa.core.readings.kind import Determined, Kind, Span, to_step

# No display goes further beyond the end of its range, and no cuvette lets so little light through.
_BEYOND, _ABSORBANCE = 4, (-1.0, 6.0)


class Displayed(Checked):
    """What the display shows, or an absorbance in a cell of `path_mm`, or that it says over."""

    display: NotNegative | None = None
    absorbance: Number | None = None
    path_mm: Positive = 10.0
    over: YesNo = False


class Photometer(Kind):
    """Concentration by light: x = (A·slope_path_mm/path_mm − intercept)/slope (Beer and Lambert's law)."""

    kind: Literal["photometer"] = "photometer"
    range: tuple[NotNegative, NotNegative] = Field(title="Reads from, to", description="such as 0.05, 4")
    reagent_blank: Number = Field(
        default=0.0, title="What the reagents show by themselves", description="in the unit of the result"
    )
    slope: Number | None = Field(
        default=None,
        title="Slope of the line: absorbance for one unit",
        description="only where absorbance is read",
    )
    intercept: Number = Field(default=0.0, title="Absorbance at none")
    slope_path_mm: Positive = Field(default=10.0, title="Cell for which the line holds, mm")

    Reading: ClassVar[type[Checked]] = Displayed
    asked_as: ClassVar[str] = "A photometer or colorimeter"
    rank: ClassVar[int] = 3
    drawings: ClassVar[tuple[str, ...]] = ("photometer",)
    to_start: ClassVar[dict[str, Any]] = {"range": [0.1, 5.0]}
    example: ClassVar[dict[str, str]] = {"display": "On the display", "absorbance": "Or absorbance"}
    brought_from: ClassVar[tuple[str, ...]] = ("transmittance",)

    @model_validator(mode="after")
    def _usable(self) -> Photometer:
        if not self.range[0] < self.range[1]:
            raise CannotCompute("range is [low, high], from 0 up.", "range")
        if self.slope == 0:
            raise CannotCompute("slope cannot be 0.", "slope")
        return self

    @property
    def reach(self) -> float | None:
        """The end of the range."""
        return self.range[1]

    @property
    def least(self) -> float | None:
        """The beginning of the range."""
        return self.range[0]

    def read(self, reading: Displayed) -> Determined:
        """Take `display`, or `absorbance` with its `path_mm`, or `over`; outside the range the result is "<" or ">"."""
        if (reading.display is not None) + (reading.absorbance is not None) + reading.over != 1:
            raise CannotCompute("A reading is what the display shows, an absorbance, or over.", "reading")
        if reading.over:
            return self._over(("The display says over the range",))
        working: tuple[str, ...] = ()
        if reading.absorbance is not None:
            shown = self._from_absorbance(reading.absorbance, reading.path_mm)
            working = (
                f"({plain(reading.absorbance)} × {plain(self.slope_path_mm)} / {plain(reading.path_mm)} mm"
                f" − {plain(self.intercept)}) / {plain(self.slope or 0.0)} = {plain(shown)} {self.unit}",
            )
        else:
            shown = reading.display or 0.0
        value = finite(shown - self.reagent_blank, "reagent_blank")
        if self.reagent_blank:
            line = f"{plain(shown)} − {plain(self.reagent_blank)} reagent blank = {plain(value)} {self.unit}"
            working += (line,)
        # At an end of the range the last digits of arithmetic are forgiven.
        at_end = any(math.isclose(value, end, rel_tol=1e-9) for end in self.range)
        if value > self.range[1] and not at_end:
            return self._over(working)
        if value < self.range[0] and not at_end:
            quantity = self.at_most(self.range[0])
            shows = working or (f"The display shows {plain(shown)}",)
            line = f"Below the range, which begins at {plain(self.range[0])}: {self.written(quantity)}"
            return Determined(quantity, None, (*shows, line))
        quantity = self.point(value, value, value)
        return Determined(quantity, None, working or (f"The display shows {self.written(quantity)}",))

    def likely(self, found: Quantity, dilution: float = 1.0) -> tuple[Quantity, str]:
        """Widen by both figures of its precision together: reagent and cell in proportion, and its zero."""
        zero = self.precision_abs * dilution
        off = self.precision_percent / 100 * found.value + zero
        line = f"{plain(self.precision_percent)} % and the zero, {plain(zero)} {self.unit}, together: ± {plain(off)}"
        return replace(found, low=max(found.value - off, 0.0), high=found.value + off), line

    def _from_absorbance(self, absorbance: float, path_mm: float) -> float:
        if self.slope is None:
            raise CannotCompute("An absorbance needs the method's slope.", "slope")
        at_path = finite(absorbance * self.slope_path_mm / path_mm, "path_mm")
        return finite((at_path - self.intercept) / self.slope, "slope")

    @property
    def spans(self) -> dict[str, Span]:
        """The display, and what is read of the light instead."""
        most = max(_BEYOND * (self.range[1] + self.reagent_blank), 1.0)
        return {
            **super().spans,
            "display": Span("The display", 0.0, most, self.unit),
            "absorbance": Span("The absorbance", *_ABSORBANCE),
            "transmittance": Span("The transmittance", 0.0, 100.0, "%"),
            "path_mm": Span("The length of the cell", 1.0, 100.0, "mm"),
        }

    def axes(self, shown_in: Sequence[str] = (), paths_mm: Sequence[float] = ()) -> tuple[Axis, ...]:
        """Return "over", the display, and the absorbance in each cell, also from what is let through."""
        shows = tuple(end + self.reagent_blank for end in self.range)
        most = self.spans["display"].most
        display = Axis(lambda x: {"display": x}, most=most, weights={"display": 1.0}, marks=shows)
        axes = [Axis.of_choice({"over": True}), display]
        for path in paths_mm if self.slope is not None else ():
            axes += self._axes_in(path)
        return tuple(axes)

    def _axes_in(self, path: float) -> tuple[Axis, Axis]:
        slope = self.slope or 0.0
        line = self.as_read({"absorbance": 0.0, "path_mm": path})
        assert isinstance(line, Photometer)
        ends = ((end + self.reagent_blank) * slope + self.intercept for end in line.range)
        absorbed = Axis(
            lambda x: {"absorbance": x, "path_mm": path},
            least=_ABSORBANCE[0],
            most=_ABSORBANCE[1],
            when={"path_mm": path},
            weights={"absorbance": 1.0},
            marks=tuple(end * path / self.slope_path_mm for end in ends),
        )
        return absorbed, absorbed._replace(constant=2.0, weights={}, logs={"transmittance": -1.0})

    def as_read(self, reading: Mapping[str, Any]) -> Kind:
        """Return the line as it holds in the cell of an absorbance: a longer one sees less, and ends sooner.

        By Beer and Lambert's law the range, and what it is good to at least, go down as the path goes up.
        """
        path = checked_number(reading.get("path_mm", self.slope_path_mm), "path_mm")
        if "absorbance" not in reading or path <= 0 or path == self.slope_path_mm:
            return self
        times = self.slope_path_mm / path
        scaled = (self.range[0] * times, self.range[1] * times)
        return self.model_copy(update={"range": scaled, "precision_abs": self.precision_abs * times})

    def _over(self, working: tuple[str, ...]) -> Determined:
        quantity = self.above(self.range[1])
        line = f"Above the range, which ends at {plain(self.range[1])}: {self.written(quantity)}"
        return Determined(quantity, "dilute", (*working, line))

    def brought(self, raw: Mapping[str, Any]) -> tuple[dict[str, Any], tuple[str, ...]]:
        """Take the absorbance of a `transmittance` (percent, above 0, at most 100): −log10(T/100)."""
        reading, _ = super().brought(raw)
        if "transmittance" not in reading:
            return reading, ()
        percent = checked_number(reading.pop("transmittance"), "transmittance")
        if not 0 < percent <= 100:
            raise CannotCompute("A transmittance lies above 0 and at most at 100 %.", "transmittance")
        absorbance = abs(math.log10(percent / 100))
        line = f"{plain(percent)} % transmittance: absorbance −log10({plain(percent / 100)}) = {plain(absorbance)}"
        return {**reading, "absorbance": absorbance}, (line,)

    def said(self, reading: Mapping[str, Any], unit_of_count: str) -> str:
        """Say what was read, in the view in which it was."""
        cell = f" in {plain(reading['path_mm'])} mm" if reading.get("path_mm") else ""
        if reading.get("over"):
            return "over the range"
        if "absorbance" in reading:
            return f"absorbance {plain(reading['absorbance'])}{cell}"
        if "transmittance" in reading:
            return f"{plain(reading['transmittance'])} % transmittance{cell}"
        return f"{plain(reading['display'])} {self.unit} displayed"

    def simulated(self, strength: float, chance: Random) -> dict[str, Any]:
        """Read the display, to a hundredth of the range."""
        high = self.range[1]
        step = 10.0 ** math.floor(math.log10(high) - 2)
        display = to_step(step, max(strength * chance.gauss(1.0, 0.02), 0.0))
        return {"over": True} if display > high else {"display": display}
