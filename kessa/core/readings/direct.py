"""A syringe or titrator whose scale reads the result."""

from __future__ import annotations

from kessa.core.arguments import Arguments, CannotCompute, finite
from kessa.core.quantity import Quantity, plain
from kessa.core.readings.kind import Determined, Kind


class Direct(Kind):
    """A scale that reads the result: value = (fills·full_scale + scale)·multiplier."""

    method_keys = ("multiplier", "resolution", "full_scale")
    reading_keys = ("scale", "fills")

    def read_method(self, numbers: Arguments) -> None:
        """Take `multiplier` (result per scale unit), `resolution` and `full_scale` (scale units)."""
        self.multiplier: float = numbers.number("multiplier", 1.0, above=0.0)
        self.resolution: float = numbers.number("resolution", 0.0, least=0.0)
        self.full_scale: float | None = numbers.number("full_scale", None, above=0.0)

    def read(self, reading: Arguments) -> Determined:
        """`fills` are whole scales used up before the `scale` that is read; half the resolution to either side."""
        scale = reading.number("scale", least=0.0)
        fills = reading.whole("fills", 0)
        if self.full_scale is not None and scale > self.full_scale:
            raise CannotCompute(f"The scale ends at {plain(self.full_scale)}.", "scale")
        if fills and self.full_scale is None:
            raise CannotCompute("Refills count only where the method names the full scale.", "full_scale")
        read = fills * (self.full_scale or 0.0) + scale
        value = finite(read * self.multiplier, "scale")
        half = self.resolution / 2 * self.multiplier
        quantity = Quantity(value, max(value - half, 0.0), finite(value + half, "scale"), None, self.unit, self.form)
        refilled = f"{plain(fills)} × {plain(self.full_scale or 0.0)} + " if fills else ""
        line = f"({refilled}{plain(scale)}) × {plain(self.multiplier)} = {self.written(quantity)}"
        return Determined(quantity, None, (line,))
