"""A strip whose mark becomes a result by the table of its own lot."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import pairwise
from random import Random
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field, model_validator

from kessa.core.checked import Checked, Number
from kessa.core.errors import CannotCompute
from kessa.core.quantities.quantity import plain
from kessa.core.readings.axis import Axis
from kessa.core.readings.card_steps import check_ascending, span_at
from kessa.core.readings.kind import Determined, DrawnScale, Kind

_MOST_PAIRS = 1000
_TIE = 1e-9


class Mark(Checked):
    """The mark to which the strip rose."""

    mark: Number


class Chart(Kind):
    """A mark looked up in the lot's table, by the nearest row or linearly between two."""

    kind: Literal["chart"] = "chart"
    pairs: Annotated[tuple[tuple[Number, Number], ...], Field(min_length=1, max_length=_MOST_PAIRS)] | None = None
    rule: Literal["nearest", "interpolate"] = "nearest"

    Reading: ClassVar[type[Checked]] = Mark
    asked_as: ClassVar[str] = "A strip whose mark is converted by its lot's table"
    rank: ClassVar[int] = 7
    drawings: ClassVar[tuple[str, ...]] = ("mark",)
    to_start: ClassVar[dict[str, Any]] = {"rule": "interpolate"}
    example: ClassVar[dict[str, str]] = {"mark": "Mark on the strip"}

    @model_validator(mode="after")
    def _rising(self) -> Chart:
        if self.pairs is not None:
            check_ascending([mark for mark, _ in self.pairs], "pairs")
            check_ascending([result for _, result in self.pairs], "pairs")
        return self

    @property
    def reach(self) -> float | None:
        """The last result of the table."""
        return self.pairs[-1][1] if self.pairs else None

    @property
    def least(self) -> float | None:
        """The first result of the table."""
        return self.pairs[0][1] if self.pairs else None

    @property
    def card(self) -> tuple[float, ...]:
        """The results of the table."""
        return tuple(result for _, result in self.pairs or ())

    def read(self, reading: Mark) -> Determined:
        """Below the first mark the result is "<", above the last ">"."""
        mark = reading.mark
        if not self.pairs:
            raise CannotCompute("The strip needs its lot's table: pairs of mark and result.", "pairs")
        marks, results = zip(*self.pairs, strict=True)
        if mark < marks[0]:
            quantity = self.at_most(results[0])
            return Determined(quantity, None, (f"Mark {plain(mark)} is below the table: {self.written(quantity)}",))
        if mark > marks[-1]:
            quantity = self.above(results[-1])
            return Determined(quantity, "dilute", (f"Mark {plain(mark)} is above the table: {self.written(quantity)}",))
        nearest = min(range(len(marks)), key=lambda n: (abs(marks[n] - mark), -n))
        following = nearest + 1
        if following < len(marks) and marks[following] - mark <= mark - marks[nearest] + _TIE:
            nearest = following
        if self.rule == "nearest" or abs(marks[nearest] - mark) <= _TIE:
            quantity = self.point(results[nearest], *span_at(results, nearest))
            line = f"Mark {plain(mark)}: the lot's table has {self.written(quantity)} at {plain(marks[nearest])}"
            return Determined(quantity, None, (line,))
        return self._interpolated(mark)

    def _interpolated(self, mark: float) -> Determined:
        (mark_a, low), (mark_b, high) = next(gap for gap in pairwise(self.pairs or ()) if mark <= gap[1][0])
        quantity = self.point(low + (high - low) * (mark - mark_a) / (mark_b - mark_a), low, high)
        line = (
            f"Mark {plain(mark)} lies between {plain(mark_a)} ({plain(low)}) and {plain(mark_b)} ({plain(high)})"
            f" of the lot's table: {self.written(quantity)}"
        )
        return Determined(quantity, None, (line,))

    def axes(self, shown_in: Sequence[str] = (), paths_mm: Sequence[float] = ()) -> tuple[Axis, ...]:
        """Return the strip's own scale: it jumps at the marks of the table, or half-way between two."""
        marks = [mark for mark, _ in self.pairs or ()]
        halves = [(low + high) / 2 for low, high in pairwise(marks)] if self.rule == "nearest" else []
        return (
            Axis(
                lambda x: {"mark": x},
                most=2 * marks[-1] if marks else 1.0,
                weights={"mark": 1.0},
                marks=tuple(sorted([*marks, *halves])),
            ),
        )

    def drawn_scales(self, drawn_as: str) -> tuple[DrawnScale, ...]:
        """Return the strip with its marks; up to ten where its table is still to come."""
        last = self.pairs[-1][0] if self.pairs else 10.0
        return (DrawnScale("mark", "Tip of the peak", "mark", 0.0, last * 1.1, 0.1, vertical=True),)

    def said(self, reading: Mapping[str, Any], unit_of_count: str) -> str:
        """Say the mark."""
        return f"mark {plain(reading['mark'])}"

    def simulated(self, strength: float, chance: Random) -> dict[str, Any]:
        """Read the nearest mark."""
        seen = strength * chance.gauss(1.0, 0.04)
        return {"mark": min(self.pairs or ((0.0, 0.0),), key=lambda pair: abs(pair[1] - seen))[0]}
