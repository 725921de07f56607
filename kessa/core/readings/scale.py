"""A comparator, a strip pad, a clarity tube: printed steps and the gaps between them."""

from __future__ import annotations

import math

from kessa.core.arguments import Arguments, CannotCompute
from kessa.core.quantity import Quantity, plain
from kessa.core.readings.kind import Determined, Kind
from kessa.core.readings.steps import check_ascending, span_at

_MOST_STEPS = 1000


class Scale(Kind):
    """A reading at a step, between two neighbours, below the first or above the last."""

    method_keys = ("steps", "between")
    reading_keys = ("at", "between", "fraction", "below", "above")

    def read_method(self, numbers: Arguments) -> None:
        """Take `steps` (results, rising) and `between`: what a colour between two steps counts as."""
        self.steps: list[float] = check_ascending(numbers.numbers("steps", most=_MOST_STEPS), "steps")
        self.between: str = numbers.text("between", "middle", choices=("middle", "lower", "upper"))

    def read(self, reading: Arguments) -> Determined:
        """Take one of `at`, `between` with its `fraction` (0 to 1), `below` or `above`."""
        at = reading.number("at", None)
        below, above = reading.flag("below", False), reading.flag("above", False)
        given = [at is not None, reading.has("between"), below, above]
        if sum(given) != 1:
            raise CannotCompute("A reading is at a step, between two, below the first or above the last.", "reading")
        if at is not None:
            return self._at(at)
        if below:
            quantity = Quantity(self.steps[0], 0.0, self.steps[0], "<", self.unit, self.form)
            return Determined(quantity, None, (f"Paler than the first step: {self.written(quantity)}",))
        if above:
            quantity = Quantity(self.steps[-1], self.steps[-1], None, ">", self.unit, self.form)
            return Determined(quantity, "dilute", (f"Darker than the last step: {self.written(quantity)}",))
        return self._between(reading)

    def _at(self, at: float) -> Determined:
        index = next((n for n, step in enumerate(self.steps) if math.isclose(step, at, rel_tol=1e-9)), None)
        if index is None:
            raise CannotCompute(f"{plain(at)} is not a step: {', '.join(map(plain, self.steps))}.", "at")
        low, high = span_at(self.steps, index)
        quantity = Quantity(self.steps[index], low, high, None, self.unit, self.form)
        return Determined(quantity, None, (f"Matches the step {self.written(quantity)}",))

    def _between(self, reading: Arguments) -> Determined:
        fraction = reading.number("fraction", 0.5, least=0.0, most=1.0)
        ends = reading.numbers("between", most=2)
        gaps = zip(self.steps, self.steps[1:], strict=False)
        found = next((gap for gap in gaps if len(ends) == 2 and all(map(math.isclose, gap, ends))), None)
        if found is None:
            raise CannotCompute("between takes two neighbouring steps, the lower first.", "between")
        low, high = found
        value = {"lower": low, "upper": high}.get(self.between, low + fraction * (high - low))
        quantity = Quantity(value, low, high, None, self.unit, self.form)
        how = {"lower": "the lower counts", "upper": "the upper counts"}.get(
            self.between, f"{plain(low)} + {plain(fraction)} × ({plain(high)} − {plain(low)})"
        )
        line = f"Between {plain(low)} and {plain(high)}: {how} = {self.written(quantity)}"
        return Determined(quantity, None, (line,))
