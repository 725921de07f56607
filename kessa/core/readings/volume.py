"""Titrant measured by a burette."""

from __future__ import annotations

from kessa.core.arguments import Arguments, finite
from kessa.core.quantity import Quantity, plain
from kessa.core.readings.kind import Determined, Kind


class Volume(Kind):
    """A titration to a volume: value = (ml − blank_ml)·normality·equivalent weight·1000/sample_ml."""

    method_keys = ("normality", "eq_weight", "sample_ml", "blank_ml", "resolution_ml")
    reading_keys = ("ml",)

    def read_method(self, numbers: Arguments) -> None:
        """Take `normality` (eq/L), `eq_weight` (g/eq), `sample_ml`, `blank_ml` and `resolution_ml` (mL)."""
        self.normality: float = numbers.number("normality", above=0.0)
        self.eq_weight: float = numbers.number("eq_weight", above=0.0)
        self.sample_ml: float = numbers.number("sample_ml", above=0.0)
        self.blank_ml: float = numbers.number("blank_ml", 0.0, least=0.0)
        self.resolution_ml: float = numbers.number("resolution_ml", 0.0, least=0.0)

    def read(self, reading: Arguments) -> Determined:
        """The interval is half the burette's resolution to either side; nothing is below 0."""
        ml = reading.number("ml", least=0.0)
        used = ml - self.blank_ml
        low, value, high = (self._result(used + side * self.resolution_ml / 2) for side in (-1, 0, 1))
        quantity = Quantity(value, low, high, None, self.unit, self.form)
        less = f" − {plain(self.blank_ml)} blank" if self.blank_ml else ""
        line = (
            f"({plain(ml)}{less}) mL × {plain(self.normality)} × {plain(self.eq_weight)} × 1000"
            f" / {plain(self.sample_ml)} mL = {self.written(quantity)}"
        )
        return Determined(quantity, None, (line,))

    def _result(self, used_ml: float) -> float:
        per_ml = finite(self.normality * self.eq_weight * 1000 / self.sample_ml, "sample_ml")
        return finite(max(used_ml, 0.0) * per_ml, "ml")
