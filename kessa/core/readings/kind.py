"""What every kind of reading shares: unit and form, precision, dilution, and the working."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping
from typing import Any, ClassVar, NamedTuple

from kessa.core.arguments import Arguments, CannotCompute, finite
from kessa.core.quantity import Quantity, plain


class Determined(NamedTuple):
    """One reading as a result: the quantity, what to do when the range was left, and the arithmetic in words."""

    quantity: Quantity
    next: str | None
    working: tuple[str, ...]


class Kind(ABC):
    """A kind of method. A subclass names its keys and turns a checked reading into a quantity."""

    method_keys: ClassVar[tuple[str, ...]]
    reading_keys: ClassVar[tuple[str, ...]]
    _shared_keys: ClassVar[tuple[str, ...]] = ("kind", "unit", "as", "precision_percent", "precision_abs")

    # What no interval goes below; None for what may be negative.
    floor: float | None = 0.0

    def __init__(self, method: Any) -> None:
        """Check the method's numbers; raises CannotCompute on the one at fault."""
        numbers = Arguments(method, "method", self._shared_keys + self.method_keys)
        self.unit: str = numbers.text("unit")
        self.form: str | None = numbers.text("as", None)
        self.precision_percent: float = numbers.number("precision_percent", 0.0, least=0.0)
        self.precision_abs: float = numbers.number("precision_abs", 0.0, least=0.0)
        self.read_method(numbers)

    @abstractmethod
    def read_method(self, numbers: Arguments) -> None:
        """Take the kind's own numbers from the method."""

    @abstractmethod
    def read(self, reading: Arguments) -> Determined:
        """Turn a reading into a result before dilution and precision."""

    def determine(self, reading: Any, dilution: float) -> Determined:
        """Turn a reading into a result: the kind's rule, then dilution (≥ 1), then the method's precision."""
        if isinstance(reading, Mapping) and not any(reading.get(key) is not None for key in self.reading_keys):
            raise CannotCompute(f"The reading needs {' or '.join(self.reading_keys)}.", "reading")
        quantity, following, working = self.read(Arguments(reading, "reading", self.reading_keys))
        if dilution != 1:
            quantity = quantity.diluted(dilution)
            working += (f"Sample diluted 1 in {plain(dilution)}: × {plain(dilution)} = {self.written(quantity)}",)
        half_width = max(self.precision_percent / 100 * abs(quantity.value), self.precision_abs * dilution)
        finite(half_width, "precision_abs" if self.precision_abs else "precision_percent")
        if half_width > 0 and quantity.censor is None:
            quantity = quantity.widened(half_width, self.floor)
            working += (f"The method is good to ± {plain(half_width)} {self.unit} at best",)
        return Determined(quantity, following, (*working, _truth(quantity)))

    def written(self, quantity: Quantity) -> str:
        """Write a quantity with its unit and form."""
        return f"{quantity.censor or ''}{plain(quantity.value)} {self.unit}" + (f" as {self.form}" if self.form else "")


def _truth(quantity: Quantity) -> str:
    if quantity.censor == "<":
        return f"The truth is at or below {plain(quantity.value)} {quantity.unit}"
    if quantity.high is None:
        return f"The truth is above {plain(quantity.low)} {quantity.unit}"
    return f"The truth lies between {plain(quantity.low)} and {plain(quantity.high)} {quantity.unit}"
