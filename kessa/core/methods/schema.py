"""What a method file holds."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal, Self

from pydantic import Field, StringConstraints, model_validator

from kessa.core.arguments import CannotCompute
from kessa.core.datafile import Strict
from kessa.core.readings.count import Count
from kessa.core.schools import complete
from kessa.core.species import FORMS
from kessa.core.supplies import supplies

Text = Annotated[str, StringConstraints(min_length=1, strip_whitespace=True)]
Key = Annotated[str, StringConstraints(pattern=r"^[a-z0-9-]+$", max_length=60)]
Positive = Annotated[float, Field(gt=0)]


class Titrant(Strict):
    """What one drop holds, and into how much sample it falls: the chemistry behind `numbers.per`."""

    name: Text
    normality: Positive
    drop_ml: Positive
    sample_ml: Positive
    equivalent_of: Text
    equivalents_per_mole: Annotated[int, Field(gt=0)] = 1

    def worth_of_a_drop(self) -> float:
        """Return mg/L a drop: drop volume × normality × equivalent weight × 1000 / sample volume."""
        equivalent_weight = FORMS[self.equivalent_of].molar_mass / self.equivalents_per_mole
        return self.drop_ml * self.normality * equivalent_weight * 1000 / self.sample_ml


class Numbers(Strict):
    """The numbers by which a reading becomes a result; their meaning is the kind's."""

    per: Positive
    background: Annotated[float, Field(ge=0)] = 0.0
    report: Literal["count", "midpoint", "before"] = "count"
    stop_at: Annotated[int, Field(gt=0, le=200)]
    next_range: Key | None = None
    precision_percent: Annotated[float, Field(ge=0)] = 0.0
    precision_abs: Annotated[float, Field(ge=0)] = 0.0


class AgreementRule(Strict):
    """When two runs agree, after how many runs no further one is asked for, and which number counts."""

    rule: Literal["units", "relative", "absolute"]
    within: Annotated[float, Field(ge=0)]
    most: Annotated[int, Field(ge=2)] = 3
    takes: Literal["closest", "mean", "first"] = "closest"


class BlankRule(Strict):
    """What a blank with deionised water may need: up to `good`, up to `questionable`, and where to stop counting."""

    good: Annotated[int, Field(ge=1)]
    questionable: Annotated[int, Field(ge=1)]
    stop_at: Annotated[int, Field(ge=2)]
    check: tuple[Text, ...]

    def verdict(self, count: int, *, endpoint: bool = True) -> str:
        """Return "good", "questionable" or "bad" for a blank of `count` units; without an end it is bad."""
        if not endpoint or count > self.questionable:
            return "bad"
        return "good" if count <= self.good else "questionable"


class Colour(Strict):
    """A colour to look for, with a name for readers who tell colours poorly."""

    role: Literal["not yet", "stays", "too far"]
    name: Text
    value: Annotated[str, StringConstraints(pattern=r"^#[0-9a-f]{6}$")]


class Step(Strict):
    """One thing to do. The `count` step is where units are added; `settle_s` how long (s) its end colour must last."""

    text: Text
    detail: Text | None = None
    blank_text: Text | None = None
    caution: Text | None = None
    kind: Literal["do", "count"] = "do"
    settle_s: Annotated[int, Field(gt=0, le=3600)] | None = None


class Use(Strict):
    """What a test uses up of a supply, in the supply's unit: `per` run, per unit counted, or once a sample."""

    supply: Key
    amount: Positive
    per: Literal["run", "unit", "sample"] = "run"


class Method(Strict):
    """A versioned definition of a test. `keeps_hours` is how long after drawing a sample may still be tested."""

    key: Key
    version: Annotated[int, Field(ge=1)]
    name: Text
    range_name: Text
    vessel: Text
    family: Key
    parameter: Text
    kind: Literal["count"]
    unit: Text
    form: Text | None = Field(default=None, alias="as")
    unit_of_count: Text
    principle: Text
    wear: Text
    waste: Text
    keeps_hours: Positive | None = None
    uses: tuple[Use, ...] = ()
    gear: tuple[Key, ...] = ()
    interferences: tuple[Text, ...] = ()
    numbers: Numbers
    titrant: Titrant | None = None
    agreement: AgreementRule
    blank: BlankRule | None = None
    colours: tuple[Colour, ...]
    steps: tuple[Step, ...]

    @model_validator(mode="after")
    def _whole(self) -> Self:
        try:
            self.reader()
        except CannotCompute as error:
            raise ValueError(f"numbers: {error.message}") from error
        if sum(step.kind == "count" for step in self.steps) != 1:
            raise ValueError("steps: a counted method has exactly one step of kind count")
        if {colour.role for colour in self.colours} != {"not yet", "stays", "too far"}:
            raise ValueError("colours: one each of not yet, stays and too far")
        if self.titrant and self.titrant.equivalent_of not in FORMS:
            raise ValueError(f"titrant.equivalent_of: no form {self.titrant.equivalent_of}")
        for number, use in enumerate(self.uses):
            if use.supply not in supplies() or not supplies()[use.supply].has_lots:
                raise ValueError(f"uses.{number}.supply: no supply with lots is called {use.supply}")
        if unknown := [key for key in self.gear if key not in supplies()]:
            raise ValueError(f"gear: nothing is called {unknown[0]}")
        return self

    def determine_arguments(self) -> dict[str, Any]:
        """Return the method as `determine` takes it."""
        numbers = self.numbers.model_dump(exclude_none=True)
        return {"kind": self.kind, "unit": self.unit, "as": self.form, **numbers}

    def reader(self) -> Count:
        """Return the kind that turns this method's readings into results."""
        return Count(self.determine_arguments())

    @property
    def test_name(self) -> str:
        """What people call the test in any of its ranges, such as "Chloride, drops"."""
        return f"{self.parameter.capitalize()}, {self.unit_of_count}s"

    @property
    def reach(self) -> float:
        """The highest result of the range, in the method's unit."""
        return self.numbers.per * (self.numbers.stop_at - self.numbers.background)

    @property
    def count_step(self) -> int:
        """The index of the step at which units are counted."""
        return next(index for index, step in enumerate(self.steps) if step.kind == "count")

    def under(self, schools: Mapping[str, str]) -> Method:
        """Return the method as a team of these schools runs it (see kessa.core.schools for the keys)."""
        chosen = complete(schools)
        # A kit that reports the middle by itself has taken its step back already.
        own = self.numbers.report
        report = own if own != "count" else {"before": "before", "middle": "midpoint"}.get(chosen["endpoint"], own)
        rule = {"units": 2.0, "relative": 20.0, "absolute": self.numbers.per}.get(chosen["agreement"])
        agreement = {"takes": chosen["duplicates"]}
        return self.model_copy(
            update={
                "numbers": self.numbers.model_copy(update={"report": report}),
                "agreement": self.agreement.model_copy(
                    update=agreement if rule is None else {**agreement, "rule": chosen["agreement"], "within": rule}
                ),
            }
        )

    def snapshot(self) -> dict[str, Any]:
        """Return the whole definition as plain data, to be kept with what was measured by it."""
        return self.model_dump(mode="json", by_alias=True, exclude_none=True)
