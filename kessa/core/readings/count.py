"""Drops or tablets counted to a lasting colour."""

from __future__ import annotations

from kessa.core.arguments import Arguments, CannotCompute, finite
from kessa.core.quantity import Quantity, plain
from kessa.core.readings.kind import Determined, Kind


class Count(Kind):
    """A counted titration: the end lies somewhere within the last unit added, so the count is an interval."""

    method_keys = ("per", "background", "report", "stop_at", "next_range")
    reading_keys = ("count", "endpoint", "first_change")

    def read_method(self, numbers: Arguments) -> None:
        """Take `per` (result per unit), `background` (units), `report`, `stop_at` (units) and `next_range`."""
        self.per: float = numbers.number("per", above=0.0)
        self.background: float = numbers.number("background", 0.0, least=0.0)
        self.report: str = numbers.text("report", "count", choices=("count", "midpoint"))
        self.stop_at: float | None = numbers.number("stop_at", None, above=0.0)
        self.next_range: str | None = numbers.text("next_range", None)

    def read(self, reading: Arguments) -> Determined:
        """Value = per·n, n = count − background, or per·(n − ½) for the midpoint; low from the first change."""
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
        if n <= 0:
            quantity = Quantity(self.per, 0.0, self.per, "<", self.unit, self.form)
            line = f"{plain(count)} is no more than the {plain(self.background)} that the reagents use up by themselves"
            return Determined(quantity, None, (line, f"Less than one unit: {self.written(quantity)}"))
        counted = n - 0.5 if self.report == "midpoint" else n
        begun = count if first_change is None else first_change
        quantity = Quantity(
            finite(self.per * counted, "count"),
            max(self.per * (begun - 1 - self.background), 0.0),
            finite(self.per * n, "count"),
            None,
            self.unit,
            self.form,
        )
        middle = " − ½ (the middle of the last step)" if self.report == "midpoint" else ""
        working: tuple[str, ...] = (f"{self._sum(count, middle)} = {self.written(quantity)}",)
        if begun < count:
            working += (f"The colour began to turn at {plain(begun)}, so the truth may be lower",)
        return Determined(quantity, None, working)

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
