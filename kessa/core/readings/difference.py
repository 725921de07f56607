"""The same count on system water and on the supply that feeds it."""

from __future__ import annotations

from kessa.core.arguments import Arguments, finite
from kessa.core.quantity import Quantity, plain
from kessa.core.readings.kind import Determined, Kind


class Difference(Kind):
    """What the system holds over its supply, in units counted; it may be negative."""

    method_keys = ()
    reading_keys = ("system", "supply")

    def read_method(self, numbers: Arguments) -> None:
        """Take nothing besides the unit."""
        self.floor = None

    def read(self, reading: Arguments) -> Determined:
        """Each count may be one unit off, so the interval is the difference ∓ 1."""
        system, supply = reading.whole("system"), reading.whole("supply")
        value = finite(system - supply, "system")
        quantity = Quantity(value, value - 1, value + 1, None, self.unit, self.form)
        line = f"{plain(system)} in the system − {plain(supply)} in the supply = {self.written(quantity)}"
        return Determined(quantity, None, (line,))
