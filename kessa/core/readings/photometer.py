"""A photometer or colorimeter, by its display or by absorbance."""

from __future__ import annotations

from kessa.core.arguments import Arguments, CannotCompute, finite
from kessa.core.quantity import Quantity, plain
from kessa.core.readings.kind import Determined, Kind


class Photometer(Kind):
    """A concentration on the display, or an absorbance by the method's line: A = slope·c + intercept at its path."""

    method_keys = ("range", "reagent_blank", "slope", "intercept", "slope_path_mm")
    reading_keys = ("display", "absorbance", "path_mm", "over")

    def read_method(self, numbers: Arguments) -> None:
        """Take `range` [low, high], `reagent_blank` (result), and `slope`, `intercept`, `slope_path_mm` of the line."""
        self.low, self.high = numbers.span("range")
        self.reagent_blank: float = numbers.number("reagent_blank", 0.0)
        self.slope: float | None = numbers.number("slope", None)
        self.intercept: float = numbers.number("intercept", 0.0)
        self.slope_path_mm: float = numbers.number("slope_path_mm", 10.0, above=0.0)
        if self.slope == 0:
            raise CannotCompute("slope cannot be 0.", "slope")

    def read(self, reading: Arguments) -> Determined:
        """Take `display`, or `absorbance` with its `path_mm`, or `over`; outside the range the result is "<" or ">"."""
        display, absorbance = reading.number("display", None, least=0.0), reading.number("absorbance", None)
        path_mm = reading.number("path_mm", 10.0, above=0.0)
        over = reading.flag("over", False)
        if (display is not None) + (absorbance is not None) + over != 1:
            raise CannotCompute("A reading is what the display shows, an absorbance, or over.", "reading")
        if over:
            return self._over(("The display says over the range",))
        working: tuple[str, ...] = ()
        if absorbance is not None:
            display = self._from_absorbance(absorbance, path_mm)
            working = (
                f"({plain(absorbance)} × {plain(self.slope_path_mm)} / {plain(path_mm)} mm − {plain(self.intercept)})"
                f" / {plain(self.slope or 0.0)} = {plain(display)} {self.unit}",
            )
        value = finite(display - self.reagent_blank, "reagent_blank")
        if self.reagent_blank:
            line = f"{plain(display)} − {plain(self.reagent_blank)} reagent blank = {plain(value)} {self.unit}"
            working += (line,)
        if value > self.high:
            return self._over(working)
        if value < self.low:
            quantity = Quantity(self.low, 0.0, self.low, "<", self.unit, self.form)
            line = f"Below the range, which begins at {plain(self.low)}: {self.written(quantity)}"
            return Determined(quantity, None, (*working, line))
        quantity = Quantity(value, value, value, None, self.unit, self.form)
        return Determined(quantity, None, working or (f"The display shows {self.written(quantity)}",))

    def _from_absorbance(self, absorbance: float, path_mm: float) -> float:
        if self.slope is None:
            raise CannotCompute("An absorbance needs the method's slope.", "slope")
        at_path = finite(absorbance * self.slope_path_mm / path_mm, "path_mm")
        return finite((at_path - self.intercept) / self.slope, "slope")

    def _over(self, working: tuple[str, ...]) -> Determined:
        quantity = Quantity(self.high, self.high, None, ">", self.unit, self.form)
        line = f"Above the range, which ends at {plain(self.high)}: {self.written(quantity)}"
        return Determined(quantity, "dilute", (*working, line))
