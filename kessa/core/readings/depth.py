"""A disc lowered until it vanishes and raised until it shows."""

from __future__ import annotations

from kessa.core.arguments import Arguments, finite
from kessa.core.quantity import Quantity, plain
from kessa.core.readings.kind import Determined, Kind


class Depth(Kind):
    """The mean of the depth at which a disc is lost and the depth at which it is seen again."""

    method_keys = ()
    reading_keys = ("down", "up", "bottom_visible")

    def read_method(self, numbers: Arguments) -> None:
        """Take nothing besides the unit."""

    def read(self, reading: Arguments) -> Determined:
        """Where the disc is seen on the bottom the water is clearer than the deeper of the two."""
        down, up = reading.number("down", least=0.0), reading.number("up", least=0.0)
        low, high = min(down, up), max(down, up)
        if reading.flag("bottom_visible", False):
            quantity = Quantity(high, high, None, ">", self.unit, self.form)
            return Determined(quantity, None, (f"The disc is seen on the bottom: {self.written(quantity)}",))
        quantity = Quantity(finite(down / 2 + up / 2, "down"), low, high, None, self.unit, self.form)
        line = f"Lost at {plain(down)}, seen again at {plain(up)}: mean {self.written(quantity)}"
        return Determined(quantity, None, (line,))
