"""A comparator, a strip pad, a clarity tube: printed steps and the gaps between them."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from itertools import pairwise
from random import Random
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field, model_validator

from kessa.core.checked import Checked, Fraction, Number, YesNo
from kessa.core.errors import CannotCompute
from kessa.core.quantities.quantity import plain
from kessa.core.readings.axis import Axis
from kessa.core.readings.card_steps import check_ascending, span_at
from kessa.core.readings.kind import Determined, Kind, Option

_MOST_STEPS = 1000


class Seen(Checked):
    """One of: at a step, between two neighbours (a part of the way, half where it is not said), below, above.

    `alike` are the first and last step that the eye could not tell from it (see Part.determine).
    """

    at: Number | None = None
    between: Annotated[tuple[Number, ...], Field(min_length=1, max_length=2)] | None = None
    fraction: Fraction = 0.5
    below: YesNo = False
    above: YesNo = False
    alike: Annotated[tuple[Number, ...], Field(min_length=2, max_length=2)] | None = None


class Scale(Kind):
    """A reading at a step, between two neighbours, below the first or above the last.

    The interval of a match reaches half-way to either neighbour, that of a gap from one step to the other.
    """

    kind: Literal["scale"] = "scale"
    steps: Annotated[tuple[Number, ...], Field(min_length=1, max_length=_MOST_STEPS)] = Field(
        title="The printed steps, rising", description="such as 0.1, 0.2, 0.5"
    )
    between: Literal["middle", "lower", "upper"] = "middle"
    ends: Literal["step", "open"] = "step"

    Reading: ClassVar[type[Checked]] = Seen
    asked_as: ClassVar[str] = "A colour, disc or mark matched against printed steps"
    rank: ClassVar[int] = 2
    drawings: ClassVar[tuple[str, ...]] = ("chips", "pad", "tube", "pattern", "discs", "thermometer")
    has_gaps: ClassVar[bool] = True
    to_start: ClassVar[dict[str, Any]] = {"steps": [1.0, 2.0, 5.0]}
    example: ClassVar[dict[str, str]] = {"at": "It matches the step"}

    @model_validator(mode="after")
    def _rising(self) -> Scale:
        check_ascending(self.steps, "steps")
        return self

    @property
    def reach(self) -> float | None:
        """The last step."""
        return self.steps[-1]

    @property
    def least(self) -> float | None:
        """The first step above none."""
        return next((step for step in self.steps if step), None)

    @property
    def card(self) -> tuple[float, ...]:
        """The printed steps."""
        return self.steps

    @property
    def options(self) -> tuple[Option, ...]:
        """Below the first step, each step and the gap after it, above the last."""
        steps = self.steps
        # A colour that goes on beyond the card's end is the end's own: there is nothing beside it to choose.
        beyond = self.ends == "step"
        options = [Option("below", "", f"< {plain(steps[0])}", {"below": True})] if steps[0] > 0 and beyond else []
        gaps = {low: (low, high) for low, high in pairwise(steps)}
        for number, step in enumerate(steps):
            words, short = plain(step), plain(step)
            if not beyond and number == 0:
                words, short = f"{words} or below", f"≤ {short}"
            elif not beyond and number == len(steps) - 1:
                words, short = f"{words} or above", f"≥ {short}"
            options.append(Option("at", words, short, {"at": step}, number))
            if step in gaps:
                low, high = gaps[step]
                words = f"between {plain(low)} and {plain(high)}"
                options.append(Option("between", words, "", {"between": [low, high]}))
        return (*options, Option("above", "", f"> {plain(steps[-1])}", {"above": True})) if beyond else tuple(options)

    def axes(self, shown_in: Sequence[str] = (), paths_mm: Sequence[float] = ()) -> tuple[Axis, ...]:
        """Return what there is to choose; of a gap how far it is from the first step to the second."""
        return tuple(
            Axis(
                lambda x, gap=option.reading: {**gap, "fraction": x},  # type: ignore[misc]
                most=1.0,
                when=option.reading,
                weights={"fraction": 1.0},
                usual={"fraction": 0.5},
            )
            if option.kind == "between"
            else Axis.of_choice(option.reading)
            for option in self.options
        )

    def read(self, reading: Seen) -> Determined:
        """Take one of `at`, `between` with its `fraction`, `below` or `above`."""
        given = [reading.at is not None, reading.between is not None, reading.below, reading.above]
        if sum(given) != 1:
            raise CannotCompute("A reading is at a step, between two, below the first or above the last.", "reading")
        if reading.at is not None:
            return self._at(reading.at)
        if reading.below:
            return self._below("Before the first step")
        if reading.above:
            return self._above("Beyond the last step")
        return self._between(reading)

    def _below(self, why: str) -> Determined:
        quantity = self.at_most(self.steps[0])
        return Determined(quantity, None, (f"{why}: {self.written(quantity)}",))

    def _above(self, why: str) -> Determined:
        quantity = self.above(self.steps[-1])
        return Determined(quantity, "dilute", (f"{why}: {self.written(quantity)}",))

    def _at(self, at: float) -> Determined:
        index = next((n for n, step in enumerate(self.steps) if math.isclose(step, at, rel_tol=1e-9)), None)
        if index is None:
            raise CannotCompute(f"{plain(at)} is not a step: {', '.join(map(plain, self.steps))}.", "at")
        if self.ends == "open" and index == 0:
            return self._below("Matches the first step, whose colour goes on below it")
        if self.ends == "open" and index == len(self.steps) - 1:
            return self._above("Matches the last step, whose colour goes on above it")
        quantity = self.point(self.steps[index], *span_at(self.steps, index))
        return Determined(quantity, None, (f"Matches the step {self.written(quantity)}",))

    def _between(self, reading: Seen) -> Determined:
        ends = reading.between or ()
        gaps = pairwise(self.steps)
        found = next((gap for gap in gaps if len(ends) == 2 and all(map(math.isclose, gap, ends))), None)
        if found is None:
            raise CannotCompute("between takes two neighbouring steps, the lower first.", "between")
        low, high = found
        value = {"lower": low, "upper": high}.get(self.between, low + reading.fraction * (high - low))
        quantity = self.point(value, low, high)
        how = {"lower": "the lower counts", "upper": "the upper counts"}.get(
            self.between, f"{plain(low)} + {plain(reading.fraction)} × ({plain(high)} − {plain(low)})"
        )
        line = f"Between {plain(low)} and {plain(high)}: {how} = {self.written(quantity)}"
        return Determined(quantity, None, (line,))

    def said(self, reading: Mapping[str, Any], unit_of_count: str) -> str:
        """Say where it stood on the card."""
        if "at" in reading:
            return f"at {plain(reading['at'])}"
        if "between" in reading:
            low, high = reading["between"]
            part = reading.get("fraction", 0.5)
            how = "" if part == 0.5 else f", {plain(100 * part)} % of the way"
            return f"between {plain(low)} and {plain(high)}{how}"
        return "below the first step" if reading.get("below") else "above the last step"

    def simulated(self, strength: float, chance: Random) -> dict[str, Any]:
        """Match against the card: at a step, or in the middle of a gap."""
        steps, seen = self.steps, strength * chance.gauss(1.0, 0.03)
        if seen < steps[0] / 2:
            return {"below": True}
        if seen > steps[-1] * 1.1:
            return {"above": True}
        for low, high in pairwise(steps):
            if low + (high - low) * 0.3 < seen < high - (high - low) * 0.3:
                return {"between": [low, high]}
        return {"at": min(steps, key=lambda step: abs(step - seen))}
