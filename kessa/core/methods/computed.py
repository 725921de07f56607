"""What follows from the parts of one test without a reading, such as combined chlorine from total and free."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import pairwise
from math import hypot
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from kessa.core.checked import Checked, NotNegative, Number
from kessa.core.methods.parts import Key, Name, Part, Text, UnitName
from kessa.core.quantities.quantity import Quantity, plain
from kessa.core.quantities.species import FORMS, no_form
from kessa.core.quantities.units import sign


class Computed(Checked):
    """A result worked out from other parts of the same test.

    "less": `of` less `minus`. "hydroxide": 2·`of` − `minus`, of P and total alkalinity (the classical five cases).
    "table": `of` looked up in `pairs`, straight between them, known to `good_to`.
    """

    key: Key
    parameter: Name
    unit: UnitName
    form: Text | None = Field(default=None, alias="as")
    rule: Literal["less", "hydroxide", "table"]
    of: Key
    minus: Key | None = None
    pairs: Annotated[tuple[tuple[Number, Number], ...], Field(max_length=100)] = ()
    good_to: NotNegative = 0.0

    @model_validator(mode="after")
    def _whole(self) -> Self:
        if (self.rule == "table") == (self.minus is not None):
            raise ValueError("minus: what is taken off, of a table nothing")
        marks = [mark for mark, _ in self.pairs]
        if self.form is not None and self.form not in FORMS:
            raise ValueError(f"as: {no_form(self.form)}")
        if (self.rule == "table") != (len(marks) > 1) or marks != sorted(set(marks)):
            raise ValueError("pairs: two or more of a table, by rising mark")
        return self

    @property
    def part(self) -> Part:
        """What it finds out, as other parts are: judged, written and drawn alike."""
        data = self.model_dump(by_alias=True, include={"key", "parameter", "unit", "form"}, exclude_none=True)
        return Part.model_validate({**data, "kind": "direct", "numbers": {}})

    def compute(self, found: Mapping[str, Quantity]) -> tuple[Quantity, str] | None:
        """Return the result and its line of working from the parts' results; None where nothing follows from them."""
        of, minus = found[self.of], found.get(self.minus or "")
        if self.rule == "table":
            return self._looked_up(of)
        return None if minus is None else self._taken_off(of, minus)

    def _taken_off(self, of: Quantity, minus: Quantity) -> tuple[Quantity, str] | None:
        """Take one off the other; what is below a limit may be anything down to none."""
        if minus.high is None:
            return None
        times = 2.0 if self.rule == "hydroxide" else 1.0
        shown = [f"{each.censor or ''}{plain(each.value)}" for each in (of, minus)]
        line = f"{'2 × ' if times == 2 else ''}{shown[0]} − {shown[1]}"
        low, off = max(times * of.low - minus.high, 0.0), minus.low if minus.censor == "<" else minus.value
        if of.high is None:
            return Quantity(low, low, None, ">", self.unit, self.form), f"{line}: >{plain(low)} {sign(self.unit)}"
        value, high = times * of.value - off, times * of.high - minus.low
        if of.censor == "<" or value <= 0:
            most = max(high, 0.0)
            found = Quantity(most, 0.0, most, "<" if most else None, self.unit, self.form)
        else:
            # The errors of both by their squares (JCGM 100, 5.1); one bottle's own, on both sides, makes it no worse.
            least = value - hypot(times * (of.value - of.low), minus.high - off)
            most = value + hypot(times * (of.high - of.value), off - minus.low)
            found = Quantity(value, max(least, 0.0), most, None, self.unit, self.form)
        return found, f"{line} = {found.censor or ''}{plain(found.value)} {sign(self.unit)}".rstrip()

    def _looked_up(self, of: Quantity) -> tuple[Quantity, str] | None:
        """Look a value and both ends of its interval up; beyond the table nothing is said."""
        if of.censor or of.high is None:
            return None
        ends = [self._at(mark) for mark in (of.low, of.value, of.high)]
        if ends[1] is None:
            return None
        reached = [end for end in ends if end is not None]
        value, low, high = ends[1], min(reached) - self.good_to, max(reached) + self.good_to
        line = f"By the table, at {plain(of.value)} {of.unit}: {plain(value)} {sign(self.unit)}"
        return Quantity(value, low, high, None, self.unit, self.form), line

    def _at(self, mark: float) -> float | None:
        first, last = self.pairs[0][0], self.pairs[-1][0]
        if not first <= mark <= last:
            return None
        stretches = pairwise(self.pairs)
        (a, x), (b, y) = next(each for each in stretches if each[0][0] <= mark <= each[1][0])
        return x + (y - x) * (mark - a) / (b - a)
