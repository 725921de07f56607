"""Drops or tablets counted to a lasting colour."""

from __future__ import annotations

from kessa.core.arguments import Arguments, CannotCompute, finite
from kessa.core.quantity import Quantity, plain
from kessa.core.readings.kind import Determined, Kind

# What each way of reporting takes off the count, in units, and how the working says so.
_TAKEN_BACK = {
    "count": (0.0, ""),
    "midpoint": (0.5, " − ½ (the middle of the last step)"),
    "before": (1.0, " − 1 (the unit before the end)"),
}


class Count(Kind):
    """A counted titration: the end lies somewhere within the last unit added, so the count is an interval."""

    method_keys = ("per", "background", "report", "stop_at", "next_range")
    reading_keys = ("count", "endpoint", "first_change")

    def read_method(self, numbers: Arguments) -> None:
        """Take `per` (result per unit), `background` (units), `report`, `stop_at` (units) and `next_range`."""
        self.per: float = numbers.number("per", above=0.0)
        self.background: float = numbers.number("background", 0.0, least=0.0)
        self.report: str = numbers.text("report", "count", choices=("count", "midpoint", "before"))
        self.stop_at: float | None = numbers.number("stop_at", None, above=0.0)
        self.next_range: str | None = numbers.text("next_range", None)

    def read(self, reading: Arguments) -> Determined:
        """Value = per·n, n = count − background, per·(n − ½) for the midpoint, per·(n − 1) for the unit before."""
        count = reading.whole("count")
        endpoint = reading.flag("endpoint", True)
        first_change = reading.whole("first_change", None)
        if self.stop_at is not None and count > self.stop_at:
            raise CannotCompute(f"The range ends at {plain(self.stop_at)}: {plain(count)} is beyond it.", "count")
        if first_change is not None and first_change > count:
            raise CannotCompute("The colour cannot begin to turn after the end.", "first_change")
        n = count - self.background
        if not endpoint:
            return self._over(count, n)
        back, in_words = _TAKEN_BACK[self.report]
        counted = n - back
        if n <= 0 or counted <= 0:
            return self._less_than_one(count)
        begun = count if first_change is None else first_change
        quantity = Quantity(
            finite(self.per * counted, "count"),
            max(self.per * (begun - 1 - self.background), 0.0),
            finite(self.per * n, "count"),
            None,
            self.unit,
            self.form,
        )
        working: tuple[str, ...] = (f"{self._sum(count, in_words)} = {self.written(quantity)}",)
        if begun < count:
            working += (f"The colour began to turn at {plain(begun)}, so the truth may be lower",)
        return Determined(quantity, None, working)

    def _less_than_one(self, count: float) -> Determined:
        quantity = Quantity(self.per, 0.0, self.per, "<", self.unit, self.form)
        line = f"{plain(count)} is no more than the {plain(self.background)} that the reagents use up by themselves"
        if count > self.background:
            line = f"{plain(count)} is the first unit: the one before it is none"
        return Determined(quantity, None, (line, f"Less than one unit: {self.written(quantity)}"))

    def _over(self, count: float, n: float) -> Determined:
        value = finite(self.per * max(n, 0.0), "count")
        quantity = Quantity(value, value, None, ">", self.unit, self.form)
        following = "higher range" if self.next_range else "dilute"
        line = f"No end at {plain(count)}: {self._sum(count, '')}, so {self.written(quantity)}"
        return Determined(quantity, following, (line,))

    def _sum(self, count: float, middle: str) -> str:
        steps = plain(count) + middle
        if self.background:
            steps += f" − {plain(self.background)} background"
        return f"{steps} × {plain(self.per)}" if steps == plain(count) else f"({steps}) × {plain(self.per)}"
