"""A meter: conductivity, temperature, pH, oxygen."""

from __future__ import annotations

from kessa.core.arguments import Arguments, CannotCompute, finite
from kessa.core.quantity import Quantity, plain
from kessa.core.readings.kind import Determined, Kind
from kessa.core.units import UNITS, convert


class Meter(Kind):
    """A display, brought to the method's unit and, where the meter does not do it, to the reference temperature."""

    method_keys = ("resolution", "per_degree", "reference_c")
    reading_keys = ("display", "display_unit", "temperature_c")

    def read_method(self, numbers: Arguments) -> None:
        """Take `resolution` (method's unit), `per_degree` (fraction a degree) and `reference_c` (degC)."""
        self.resolution: float = numbers.number("resolution", 0.0, least=0.0)
        self.per_degree: float = numbers.number("per_degree", 0.0)
        self.reference_c: float = numbers.number("reference_c", 25.0)
        self.is_temperature = self.unit in UNITS and UNITS[self.unit].dimension == "temperature"
        if self.is_temperature:
            self.floor = None

    def read(self, reading: Arguments) -> Determined:
        """Half the resolution to either side, after conversion and compensation."""
        display = reading.number("display", least=None if self.is_temperature else 0.0)
        shown_in = reading.text("display_unit", self.unit)
        temperature_c = reading.number("temperature_c", None)
        value, working = self._converted(display, shown_in)
        if self.per_degree:
            if temperature_c is None:
                raise CannotCompute("The water's temperature is needed to compensate for it.", "temperature_c")
            factor = finite(1 + self.per_degree * (temperature_c - self.reference_c), "temperature_c")
            if factor <= 0:
                raise CannotCompute("At this temperature the compensation has no meaning.", "temperature_c")
            compensated = finite(value / factor, "temperature_c")
            working += (
                f"{plain(value)} / (1 + {plain(self.per_degree)} × ({plain(temperature_c)} − "
                f"{plain(self.reference_c)})) = {plain(compensated)} {self.unit} at {plain(self.reference_c)} °C",
            )
            value = compensated
        half = self.resolution / 2
        low = value - half if self.floor is None else max(value - half, self.floor)
        quantity = Quantity(value, low, finite(value + half, "display"), None, self.unit, self.form)
        return Determined(quantity, None, working)

    def _converted(self, display: float, shown_in: str) -> tuple[float, tuple[str, ...]]:
        if shown_in == self.unit:
            return display, (f"The display shows {plain(display)} {self.unit}",)
        try:
            value = convert(display, shown_in, self.form, self.unit, self.form)
        except CannotCompute as error:
            field = "display" if error.field == "value" else "display_unit"
            raise CannotCompute(error.message, field) from None
        return value, (f"{plain(display)} {shown_in} on the display = {plain(value)} {self.unit}",)
