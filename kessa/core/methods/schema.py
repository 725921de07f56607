"""What a method file holds."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Annotated, Any, Literal, Self

from pydantic import Field, model_validator

from kessa.core.datafile import Strict
from kessa.core.methods.parts import Key, Part, Positive, Text
from kessa.core.methods.steps import Ask, Step, Use
from kessa.core.schools import complete
from kessa.core.supplies import supplies

_SPAN = tuple[float, float]


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


class Method(Strict):
    """A versioned definition of a test.

    `keeps_hours` is how long after drawing a sample may still be tested, `sample_ml` what all of the test needs.
    `ph_window` and `temperature_c` are what the sample must lie in. Without `agreement` one reading is a result.
    """

    key: Key
    version: Annotated[int, Field(ge=1)]
    name: Text
    test_name: Text
    range_name: Text = "one range"
    vessel: Text = "as the kit's sheet says"
    family: Key
    principle: Text
    wear: Text
    waste: Text
    keeps_hours: Positive | None = None
    sample_ml: Positive | None = None
    ph_window: _SPAN | None = None
    temperature_c: _SPAN | None = None
    may_dilute: bool = False
    instrument: Key | None = None
    uses: tuple[Use, ...] = ()
    gear: tuple[Key, ...] = ()
    interferences: tuple[Text, ...] = ()
    parts: Annotated[tuple[Part, ...], Field(min_length=1, max_length=12)]
    agreement: AgreementRule | None = None
    blank: BlankRule | None = None
    steps: Annotated[tuple[Step, ...], Field(min_length=1, max_length=40)]

    @model_validator(mode="after")
    def _whole(self) -> Self:
        keys = [part.key for part in self.parts]
        if len(set(keys)) != len(keys):
            raise ValueError("parts: two parts have the same key")
        if len(keys) > 1 and any(part.counted for part in self.parts):
            raise ValueError("parts: a counted method has one part")
        if self.agreement and self.agreement.rule == "units" and not self.counted:
            raise ValueError("agreement.rule: only counted methods agree by units")
        if self.blank and self.parts[0].kind != "count":
            raise ValueError("blank: only a count is checked by a blank of its own")
        self._check_steps(keys)
        for number, use in enumerate(self.uses):
            if use.supply not in supplies() or not supplies()[use.supply].has_lots:
                raise ValueError(f"uses.{number}.supply: no supply with lots is called {use.supply}")
        if unknown := [key for key in self.gear if key not in supplies()]:
            raise ValueError(f"gear: nothing is called {unknown[0]}")
        used = {use.supply for use in self.uses}
        if missing := [part.table_of for part in self.parts if part.table_of and part.table_of not in used]:
            raise ValueError(f"parts: the table comes with {missing[0]}, which is not among uses")
        return self

    def _check_steps(self, keys: list[str]) -> None:
        kinds = [step.kind for step in self.steps]
        if self.counted and (kinds.count("count") != 1 or "read" in kinds):
            raise ValueError("steps: a counted method has exactly one step of kind count")
        if not self.counted:
            read = [key for step in self.steps if step.kind == "read" for key in step.parts or keys]
            if "count" in kinds or sorted(read) != sorted(keys):
                raise ValueError("steps: each part is read at exactly one step of kind read")
        asks = self.asks
        for number, step in enumerate(self.steps):
            for key, answer in step.when.items():
                if key not in asks or asks[key].chosen(answer) is None:
                    raise ValueError(f"steps.{number}.when: nothing asks {key} with the answer {answer}")
            computed = step.wait.computed if step.wait else None
            if computed and computed.part not in keys:
                raise ValueError(f"steps.{number}.wait: there is no part {computed.part}")

    @property
    def main(self) -> Part:
        """The first thing it finds out; of most methods the only one."""
        return self.parts[0]

    @property
    def counted(self) -> bool:
        """Whether units are counted one by one."""
        return self.parts[0].counted

    @property
    def asks(self) -> dict[str, Ask]:
        """What is asked on the way, by key."""
        return {step.ask.key: step.ask for step in self.steps if step.ask}

    @property
    def parameters(self) -> tuple[str, ...]:
        """What it finds out, in order."""
        return tuple(dict.fromkeys(part.parameter for part in self.parts))

    def part(self, key: str) -> Part:
        """Return a part by its key; raises KeyError."""
        return {part.key: part for part in self.parts}[key]

    @property
    def reach(self) -> float | None:
        """The highest result of the range, in the main part's unit."""
        return self.main.reach

    @property
    def units_a_run(self) -> int:
        """Drops or tablets a run is reckoned with: half of those at which the range ends; 0 where none are counted."""
        stop_at = self.main.numbers.stop_at
        return math.ceil(stop_at / 2) if self.counted and stop_at else 0

    def under(self, schools: Mapping[str, str]) -> Method:
        """Return the method as a team of these schools runs it (see kessa.core.schools for the keys)."""
        chosen = complete(schools)
        parts = tuple(_part_under(part, chosen) for part in self.parts)
        agreement = self.agreement
        if agreement:
            rule = {"units": 2.0, "relative": 20.0, "absolute": self.main.numbers.per}.get(chosen["agreement"])
            # Units, and their worth, mean something only where units are counted.
            applies = rule is not None and (self.main.kind == "count" or chosen["agreement"] == "relative")
            changed = {"rule": chosen["agreement"], "within": rule} if applies else {}
            agreement = agreement.model_copy(update={**changed, "takes": chosen["duplicates"]})
        return self.model_copy(update={"parts": parts, "agreement": agreement})

    def with_tables(self, tables: Mapping[str, Any]) -> Method:
        """Return the method with the conversion tables of the lots in use, by supply, as the numbers of its parts."""
        definition = self.snapshot()
        for part in definition["parts"]:
            if part.get("table_of") in tables:
                part["numbers"]["pairs"] = tables[part["table_of"]]
        return Method.model_validate(definition)

    @property
    def lacks_table(self) -> tuple[str, ...]:
        """The supplies whose lot's conversion table it still needs."""
        return tuple(part.table_of for part in self.parts if part.table_of and part.numbers.pairs is None)

    def snapshot(self) -> dict[str, Any]:
        """Return the whole definition as plain data, to be kept with what was measured by it."""
        return self.model_dump(mode="json", by_alias=True, exclude_none=True)


def _part_under(part: Part, chosen: Mapping[str, str]) -> Part:
    changed: dict[str, Any] = {}
    # A kit that reports the middle by itself has taken its step back already.
    if part.kind == "count" and part.numbers.report in (None, "count"):
        changed["report"] = {"before": "before", "middle": "midpoint"}.get(chosen["endpoint"], "count")
    if part.kind == "scale" and part.more_is_clearer is not None:
        less_clear = {True: "lower", False: "upper"}[part.more_is_clearer]
        more_clear = {True: "upper", False: "lower"}[part.more_is_clearer]
        by_school = {"less-clear": less_clear, "more-clear": more_clear, "middle": "middle"}
        changed["between"] = by_school[chosen["clarity_tube"]]
    return part.model_copy(update={"numbers": part.numbers.model_copy(update=changed)}) if changed else part
