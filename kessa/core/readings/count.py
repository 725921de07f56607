"""Drops or tablets counted to a lasting colour."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from random import Random
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field

from kessa.core.checked import Checked, NotNegative, Positive, Units, YesNo
from kessa.core.errors import CannotCompute, finite
from kessa.core.quantities.quantity import Quantity, plain
from kessa.core.readings.kind import Determined, Kind, evenly

# What each way of reporting takes off the count, in units, and how the working says so.
_TAKEN_BACK = {
    "count": (0.0, ""),
    "midpoint": (0.5, " − ½ (the middle of the last step)"),
    "before": (1.0, " − 1 (the unit before the end)"),
}


class Counted(Checked):
    """A count: whether it came to an end, where the colour began to turn, and what a blank took (units)."""

    count: Units
    endpoint: YesNo = True
    first_change: Units | None = None
    blank: Units = 0.0


class Count(Kind):
    """A counted titration: the end lies somewhere within the last unit added, so the count is an interval.

    `per` result a unit, `background` units the reagents use up, `unit_ratio` what a unit of this bottle holds over
    what it is taken to hold. value = per·unit_ratio·(count − background), by the classical rule of a titration to the
    first lasting colour: the truth lies within the last unit.
    """

    kind: Literal["count"] = "count"
    per: Positive = Field(
        title="One drop or tablet is worth", description="in the unit of the result, as the kit prints it"
    )
    background: NotNegative = Field(
        default=0.0,
        title="Drops or tablets the reagents use up by themselves",
        description="as the kit's sheet says; mostly none",
    )
    report: Literal["count", "midpoint", "before"] = Field(default="count", title="The kit reports")
    stop_at: Annotated[Positive, Field(le=1_000_000)] | None = Field(
        default=None, title="The range ends at so many", description="the most the kit counts"
    )
    next_range: str | None = None
    unit_ratio: Positive = 1.0

    Reading: ClassVar[type[Checked]] = Counted
    asked_as: ClassVar[str] = "Drops or tablets counted to a colour that stays"
    rank: ClassVar[int] = 1
    drawings: ClassVar[tuple[str, ...]] = ("vessel",)
    counted: ClassVar[bool] = True
    has_blank: ClassVar[bool] = True
    to_start: ClassVar[dict[str, Any]] = {"per": 10.0, "stop_at": 20}
    example: ClassVar[dict[str, str]] = {"count": "Units counted to the end"}

    @property
    def worth(self) -> float:
        """What a unit of this bottle is worth, in the result's unit."""
        return self.per * self.unit_ratio

    @property
    def reach(self) -> float | None:
        """The result of the last count of the range."""
        return None if self.stop_at is None else self.worth * (self.stop_at - self.background)

    @property
    def least(self) -> float | None:
        """One unit."""
        return self.worth

    def read(self, reading: Counted) -> Determined:
        """Value = per·n, n = count − background, per·(n − ½) for the midpoint, per·(n − 1) for the unit before."""
        count, first_change = reading.count, reading.first_change
        if self.stop_at is not None and count > self.stop_at:
            raise CannotCompute(f"The range ends at {plain(self.stop_at)}: {plain(count)} is beyond it.", "count")
        if first_change is not None and first_change > count:
            raise CannotCompute("The colour cannot begin to turn after the end.", "first_change")
        n = count - self.background
        if not reading.endpoint:
            return self._over(count, n)
        back, in_words = _TAKEN_BACK[self.report]
        counted = n - back
        if n <= 0 or counted <= 0:
            return self._less_than_one(count)
        begun = count if first_change is None else first_change
        low = max(self.worth * (begun - 1 - self.background - reading.blank), 0.0)
        high = finite(self.worth * n, "count")
        value = finite(self.worth * counted, "count")
        quantity = self.point(value, min(low, value), high)
        working: tuple[str, ...] = (f"{self._sum(count, in_words)} = {self.written(quantity)}",)
        if begun < count:
            working += (f"The end may lie as early as {plain(begun)}, so the truth may be lower",)
        if reading.blank:
            working += (f"A blank took {plain(reading.blank)} by itself, so the truth may be lower by as much",)
        return Determined(quantity, None, working)

    def likely(self, found: Quantity, dilution: float = 1.0) -> tuple[Quantity, str]:
        """Lower the upper end: the end is even within the last unit, and no worst case meets another by rule.

        high = m + √((1.96·u/√12)² + w²) with the unit u, the middle m of the last unit, and w the method's precision
        at m (± 2 standard deviations): JCGM 100, 4.3.7 and 5.1. A blank and an early change of colour bear on the low
        end alone, which stays.
        """
        unit = self.worth * dilution
        middle = found.value + (_TAKEN_BACK[self.report][0] - 0.5) * unit
        last, size = evenly(unit), self.precision_percent / 100 * middle
        off = math.hypot(last, size)
        line = (
            f"Upwards from the middle of the last unit, {plain(middle)}: where in it the end lies, ± {plain(last)}, "
            f"and {plain(self.precision_percent)} %, ± {plain(size)}, by their squares ± {plain(off)}"
        )
        return self.within(found, found.low, middle + off), line

    def _less_than_one(self, count: float) -> Determined:
        quantity = self.at_most(finite(self.worth, "unit_ratio"))
        line = f"{plain(count)} is no more than the {plain(self.background)} that the reagents use up by themselves"
        if count > self.background:
            line = f"{plain(count)} is the first unit: the one before it is none"
        elif count == 0:
            line = "It had turned before the first unit"
        return Determined(quantity, None, (line, f"Less than one unit: {self.written(quantity)}"))

    def _over(self, count: float, n: float) -> Determined:
        quantity = self.above(finite(self.worth * max(n, 0.0), "count"))
        following = "higher range" if self.next_range else "dilute"
        line = f"No end at {plain(count)}: {self._sum(count, '')}, so {self.written(quantity)}"
        return Determined(quantity, following, (line,))

    def _sum(self, count: float, middle: str) -> str:
        steps = plain(count) + middle
        if self.background:
            steps += f" − {plain(self.background)} background"
        worth = plain(self.per)
        if self.unit_ratio != 1:
            worth += f" × {plain(self.unit_ratio)} (this bottle's own unit)"
        return f"{steps} × {worth}" if steps == plain(count) else f"({steps}) × {worth}"

    def with_blank(self, reading: dict[str, Any], took: float, school: str) -> tuple[Kind, dict[str, Any]]:
        """A blank widens the interval downwards, is taken off the count, or only checks: by the team's school."""
        if school == "off":
            return self.model_copy(update={"background": self.background + took}), reading
        return self, {**reading, "blank": took} if school == "widens" and took else reading

    def said(self, reading: Mapping[str, Any], unit_of_count: str) -> str:
        """Say a count, such as "8 drops"; "25+ drops" where it had no end."""
        open_ended = "" if reading.get("endpoint", True) else "+"
        return f"{plain(reading['count'])}{open_ended} {unit_of_count}{'' if reading['count'] == 1 else 's'}"

    def said_together(self, readings: Sequence[Mapping[str, Any]], unit_of_count: str) -> str:
        """Say the counts of several runs, such as "8, 7 drops"."""
        text = [self.said(reading, unit_of_count) for reading in readings]
        if len(text) < 2:
            return "".join(text)
        return f"{', '.join(words.split()[0] for words in text)} {unit_of_count}s"

    def simulated(self, strength: float, chance: Random) -> dict[str, Any]:
        """Count in water of a strength; not held to the range's maximum: beyond it there was no end."""
        # Drops of one bottle differ by about 2 %; now and then the colour begins to turn a drop before it stays.
        size = max(chance.gauss(1.0, 0.02), 0.5)
        count = max(1, math.ceil(strength / (self.worth * size) + self.background))
        turned_before = count > 2 and chance.random() < 0.25
        return {"count": count, "first_change": count - 1 if turned_before else None}
