"""A strip whose mark becomes a result by the table of its own lot."""

from __future__ import annotations

from itertools import pairwise

from kessa.core.arguments import Arguments
from kessa.core.quantity import Quantity, plain
from kessa.core.readings.kind import Determined, Kind
from kessa.core.readings.steps import check_ascending, span_at

_MOST_PAIRS = 1000
_TIE = 1e-9


class Chart(Kind):
    """A mark looked up in the lot's table, by the nearest row or in proportion between two."""

    method_keys = ("pairs", "rule")
    reading_keys = ("mark",)

    def read_method(self, numbers: Arguments) -> None:
        """Take `pairs` [[mark, result], …], both rising, and `rule`."""
        pairs = numbers.pairs("pairs", most=_MOST_PAIRS)
        self.marks = check_ascending([mark for mark, _ in pairs], "pairs")
        self.results = check_ascending([result for _, result in pairs], "pairs")
        self.rule: str = numbers.text("rule", "nearest", choices=("nearest", "interpolate"))

    def read(self, reading: Arguments) -> Determined:
        """Below the first mark the result is "<", above the last ">"."""
        mark = reading.number("mark")
        if mark < self.marks[0]:
            quantity = Quantity(self.results[0], 0.0, self.results[0], "<", self.unit, self.form)
            return Determined(quantity, None, (f"Mark {plain(mark)} is below the table: {self.written(quantity)}",))
        if mark > self.marks[-1]:
            quantity = Quantity(self.results[-1], self.results[-1], None, ">", self.unit, self.form)
            return Determined(quantity, "dilute", (f"Mark {plain(mark)} is above the table: {self.written(quantity)}",))
        nearest = min(range(len(self.marks)), key=lambda n: (abs(self.marks[n] - mark), -n))
        following = nearest + 1
        if following < len(self.marks) and self.marks[following] - mark <= mark - self.marks[nearest] + _TIE:
            nearest = following
        if self.rule == "nearest" or abs(self.marks[nearest] - mark) <= _TIE:
            return self._at(nearest, mark)
        return self._interpolated(mark)

    def _at(self, row: int, mark: float) -> Determined:
        low, high = span_at(self.results, row)
        quantity = Quantity(self.results[row], low, high, None, self.unit, self.form)
        line = f"Mark {plain(mark)}: the lot's table has {self.written(quantity)} at {plain(self.marks[row])}"
        return Determined(quantity, None, (line,))

    def _interpolated(self, mark: float) -> Determined:
        rows = pairwise(zip(self.marks, self.results, strict=True))
        (mark_a, low), (mark_b, high) = next(gap for gap in rows if gap[0][0] <= mark <= gap[1][0])
        value = low + (high - low) * (mark - mark_a) / (mark_b - mark_a)
        quantity = Quantity(value, low, high, None, self.unit, self.form)
        line = (
            f"Mark {plain(mark)} lies between {plain(mark_a)} ({plain(low)}) and {plain(mark_b)} ({plain(high)})"
            f" of the lot's table: {self.written(quantity)}"
        )
        return Determined(quantity, None, (line,))
