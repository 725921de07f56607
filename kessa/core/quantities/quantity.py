"""A measured value that never travels without its interval."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from kessa.core.errors import finite
from kessa.core.quantities.spread import Spread
from kessa.core.quantities.units import convert, in_words


@dataclass(frozen=True)
class Quantity:
    """A value, the interval in which the truth lies, and how it is written.

    `censor` is None, "<" (truth at or below `value`; low 0) or ">" (truth above `value`; high None).
    `unit` is a unit of units.UNITS or a method's own; `form` a chemical form of species.FORMS, or None.
    """

    value: float
    low: float
    high: float | None
    censor: str | None
    unit: str
    form: str | None = None

    @property
    def words(self) -> str | None:
        """What it is in words, where its unit is one of words and not of numbers.

        >>> Quantity(1, 0, 1, None, "presence").words
        'cannot tell'
        """
        if not in_words(self.unit):
            return None
        return "cannot tell" if self.low != self.high else "present" if self.value else "absent"

    @property
    def spread(self) -> Spread:
        """Its value with the ends between which the truth lies."""
        return Spread(self.value, self.low, self.high)

    def diluted(self, factor: float) -> Quantity:
        """Return what the undiluted sample held; `factor` ≥ 1. Raises CannotCompute on `dilution` if too large."""
        high = None if self.high is None else finite(self.high * factor, "dilution")
        return replace(self, value=finite(self.value * factor, "dilution"), low=self.low * factor, high=high)

    def times(self, factor: float, form: str | None) -> Quantity:
        """Return it multiplied by a factor (> 0) that leads to another form."""
        high = None if self.high is None else self.high * factor
        return replace(self, value=self.value * factor, low=self.low * factor, high=high, form=form)

    def widened(self, half_width: float, floor: float | None = 0.0) -> Quantity:
        """Return it with the interval at least value ± `half_width`, low not under `floor`; a censored one as it is."""
        if self.censor is not None or self.high is None:
            return self
        low = min(self.low, self.value - half_width)
        return replace(
            self,
            low=low if floor is None else max(low, floor),
            high=finite(max(self.high, self.value + half_width), "value"),
        )

    def converted(self, unit: str, form: str | None) -> Quantity:
        """Return it in another unit and form; raises CannotCompute as units.convert does."""

        def to(amount: float) -> float:
            return convert(amount, self.unit, self.form, unit, form)

        if (unit, form) == (self.unit, self.form):
            return self
        high = None if self.high is None else to(self.high)
        return replace(self, value=to(self.value), low=to(self.low), high=high, unit=unit, form=form)

    def as_dict(self) -> dict[str, Any]:
        """Return it as plain data; the form is called `as`."""
        return {
            "value": self.value,
            "low": self.low,
            "high": self.high,
            "censor": self.censor,
            "unit": self.unit,
            "as": self.form,
        }


# To how many figures a number is written: at most; of what has no interval, and where that is below 1; half a width of
# which the first figure is below this has one more; and never with more decimals.
FIGURES = {"most": 4, "alone": 3, "alone below 1": 2, "one more below": 2, "decimals": 6}


def plain(number: float) -> str:
    """Write a number as people do: up to four significant figures, no exponent for usual sizes, no trailing zeros."""
    text = f"{number:.{FIGURES['most']}g}"
    if "e" in text and 1e-6 < abs(number) < 1e15:
        text = f"{number:.0f}" if abs(number) >= 1 else f"{number:.9f}".rstrip("0")
    return text


def deserved(value: float, low: float | None, high: float | None) -> Callable[[float], str]:
    """Return how a value and both ends of its interval are written: to the digits that the interval leaves of meaning.

    Half the width is written with one digit, with two where it begins with 1; the others to the same decimal. What
    has no width, or only one end, has three figures, below 1 two.

    >>> write = deserved(5.775, 5.1, 6.4)
    >>> write(5.775), write(5.1), write(6.4)
    ('5.8', '5.1', '6.4')
    >>> deserved(0.1522, 0, None)(0.1522), deserved(1250, 1250, None)(1250)
    ('0.15', '1250')
    """
    if low is None or high is None or not high > low:
        return _few_figures
    half = (high - low) / 2
    power = math.floor(math.log10(half))
    decimals = (1 if half / 10**power < FIGURES["one more below"] else 0) - power
    shown = min(max(decimals, 0), FIGURES["decimals"])
    return lambda number: f"{number:.{shown}f}"


def as_written(value: float, high: float | None) -> Callable[[float], str]:
    """Return how a number is written that stood somewhere else: to the digit of which `high` is half a step off.

    >>> as_written(28, 28.5)(28), as_written(7.2, 7.25)(7.2), as_written(0.3, 0.305)(0.3), as_written(520, 525)(520)
    ('28', '7.2', '0.30', '520')
    """
    if high is None or not high > value:
        return _few_figures
    # Of 2 (7.25 - 7.2) a computer says a little less than 0.1.
    decimals = math.ceil(-math.log10(2 * (high - value)) - 1e-6)
    shown = min(max(decimals, 0), FIGURES["decimals"])
    return lambda number: f"{number:.{shown}f}"


def _few_figures(number: float) -> str:
    if abs(number) >= 100 or number == 0:
        return plain(number)
    figures = FIGURES["alone below 1"] if abs(number) < 1 else FIGURES["alone"]
    return plain(float(f"{number:.{figures}g}"))
