"""A meter: conductivity, temperature, pH, oxygen."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from random import Random
from typing import Any, ClassVar, Literal

from pydantic import Field

from kessa.core.checked import Checked, NotNegative, Number
from kessa.core.errors import CannotCompute, finite
from kessa.core.quantities.quantity import plain
from kessa.core.quantities.units import UNITS, can_be, convert, sign
from kessa.core.readings.axis import Axis
from kessa.core.readings.kind import BESIDE, Determined, Kind, Span, to_step


class OnDisplay(Checked):
    """What the display shows, in which unit, and the water's temperature."""

    display: Number
    display_unit: str | None = None
    temperature_c: Number | None = None


class Meter(Kind):
    """A display, brought to the method's unit and, where the meter does not do it, to the reference temperature.

    value / (1 + per_degree·(temperature_c − reference_c)): the linear compensation of ISO 7888.
    """

    kind: Literal["meter"] = "meter"
    resolution: NotNegative = Field(default=0.0, title="Finest mark of the display")
    per_degree: Number = Field(
        default=0.0,
        title="Change with temperature, a degree",
        description="a fraction, such as 0.02; 0 where the meter compensates",
    )
    reference_c: Number = Field(default=25.0, title="Brought to, °C")

    Reading: ClassVar[type[Checked]] = OnDisplay
    asked_as: ClassVar[str] = "A meter with a display"
    rank: ClassVar[int] = 4
    drawings: ClassVar[tuple[str, ...]] = ("meter",)
    to_start: ClassVar[dict[str, Any]] = {"resolution": 0.1}
    example: ClassVar[dict[str, str]] = {"display": "On the display", "temperature_c": "Temperature, °C"}

    @property
    def floor(self) -> float | None:
        """None for a temperature, 0 for all else."""
        return None if self.unit in UNITS and UNITS[self.unit].dimension == "temperature" else 0.0

    def read(self, reading: OnDisplay) -> Determined:
        """Half the resolution to either side, after conversion and compensation."""
        if self.floor is not None and reading.display < 0:
            raise CannotCompute("display cannot be below 0.", "display")
        value, working = self._converted(reading.display, reading.display_unit or self.unit)
        if self.per_degree:
            if reading.temperature_c is None:
                raise CannotCompute("The water's temperature is needed to compensate for it.", "temperature_c")
            factor = finite(1 + self.per_degree * (reading.temperature_c - self.reference_c), "temperature_c")
            if factor <= 0:
                raise CannotCompute("At this temperature the compensation has no meaning.", "temperature_c")
            compensated = finite(value / factor, "temperature_c")
            working += (
                f"{plain(value)} / (1 + {plain(self.per_degree)} × ({plain(reading.temperature_c)} − "
                f"{plain(self.reference_c)})) = {plain(compensated)} {self.unit} at {plain(self.reference_c)} °C",
            )
            value = compensated
        least, most = can_be("pH")
        if self.unit == "pH" and not least <= value <= most:
            raise CannotCompute(f"A pH lies between {plain(least)} and {plain(most)}.", "display")
        half = self.resolution / 2
        low = value - half if self.floor is None else max(value - half, self.floor)
        return Determined(self.point(value, low, finite(value + half, "display")), None, working)

    def _converted(self, display: float, shown_in: str) -> tuple[float, tuple[str, ...]]:
        if shown_in == self.unit:
            return display, (f"The display shows {plain(display)} {sign(self.unit)}".strip(),)
        try:
            value = convert(display, shown_in, self.form, self.unit, self.form)
        except CannotCompute as error:
            field = "display" if error.field == "value" else "display_unit"
            raise CannotCompute(error.message, field) from None
        return value, (f"{plain(display)} {shown_in} on the display = {plain(value)} {self.unit}",)

    @property
    def _shows(self) -> Span:
        """Within what the display can be, in the method's unit."""
        return Span("The display", *can_be(self.unit, (self.floor or 0.0, 1e6)), self.unit)

    @property
    def spans(self) -> dict[str, Span]:
        """The display too, in the method's unit."""
        return {**super().spans, "display": self._shows}

    def in_own_unit(self, field: str, value: float, raw: Mapping[str, Any]) -> float:
        """Return what the display showed, brought to the method's unit; anything else as it is."""
        return self._converted(value, raw.get("display_unit") or self.unit)[0] if field == "display" else value

    def axes(self, shown_in: Sequence[str] = (), paths_mm: Sequence[float] = ()) -> tuple[Axis, ...]:
        """Return the display in each unit, brought to the method's own and to its temperature."""
        return tuple(self._axis_in(unit) for unit in (self.unit, *shown_in))

    def _axis_in(self, unit: str) -> Axis:
        none, one = (self._converted(shown, unit)[0] for shown in (0.0, 1.0))
        weights, over = {"display": one - none}, {}
        if self.per_degree:
            over = {"": 1 - self.per_degree * self.reference_c, "temperature_c": self.per_degree}
        return Axis(
            lambda x: {"display": x, "temperature_c": self.reference_c},
            least=self._shows.least,
            # Cold water comes to more than the display shows.
            most=1e6 if self.per_degree else self._shows.most,
            when={"display_unit": unit},
            constant=none,
            weights=weights,
            over=over,
            usual={"display_unit": self.unit},
        )

    def brought(self, raw: Mapping[str, Any]) -> tuple[dict[str, Any], tuple[str, ...]]:
        """Keep the temperature, with which a meter computes."""
        return {key: value for key, value in raw.items() if key == "temperature_c" or key not in BESIDE}, ()

    def said(self, reading: Mapping[str, Any], unit_of_count: str) -> str:
        """Say what the display showed."""
        at = f" at {plain(reading['temperature_c'])} °C" if "temperature_c" in reading else ""
        shown = f"{plain(reading['display'])} {sign(reading.get('display_unit', self.unit))}"
        return shown.strip() + at

    def simulated(self, strength: float, chance: Random) -> dict[str, Any]:
        """Read the display in water of about 12 °C."""
        temperature = round(chance.gauss(12, 2), 1)
        shown = strength * (1 + self.per_degree * (temperature - self.reference_c))
        return {"display": to_step(self.resolution or 0.01, shown), "temperature_c": temperature}
