"""What a method file holds."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Annotated, Any, Literal, Self

from pydantic import Field, model_validator

from kessa.core.checked import Checked, NotNegative, Number, Positive
from kessa.core.job.schools import complete
from kessa.core.job.supplies import supplies
from kessa.core.job.waste import waste_streams
from kessa.core.methods.computed import Computed
from kessa.core.methods.parts import Key, MayBeEmpty, Part, Text
from kessa.core.methods.replicates import Rule
from kessa.core.methods.steps import Ask, Step, Use
from kessa.core.methods.windows import window_steps
from kessa.core.quantities.parameters import parameter
from kessa.core.quantities.quantity import plain
from kessa.core.quantities.units import sign

_SPAN = tuple[Number, Number]
# To what the result of a bottle whose drops were weighed is good.
_WEIGHED_PERCENT = 7.0


class AgreementRule(Checked):
    """When two runs agree, after how many runs no further one is asked for, and which number counts.

    `within` is in units, percent, the part's unit or steps of its card, by the rule; so near as `floor` (the part's
    unit) two runs agree under any rule.
    """

    rule: Literal["units", "relative", "absolute", "steps"]
    within: NotNegative
    floor: NotNegative = 0.0
    most: Annotated[int, Field(ge=2)] = 3
    takes: Literal["closest", "mean", "first"] = "closest"

    def by(self, part: Part, dilution: float = 1.0) -> Rule:
        """Return the rule for the results of a part, whose sample was diluted so far."""
        steps = tuple(step * dilution for step in self.steps_of(part))
        return Rule(self.rule, self._times(dilution), part.per * dilution, self.floor * dilution, steps)

    def _times(self, dilution: float) -> float:
        return self.within * dilution if self.rule == "absolute" else self.within

    def steps_of(self, part: Part) -> tuple[float, ...]:
        """Return the card's steps where runs agree by them."""
        return tuple(getattr(part.numbers, "steps", ())) if self.rule == "steps" else ()

    def in_words(self, part: Part) -> str:
        """Say how far apart two runs of a part may be."""
        one = self.within == 1
        within = {
            "units": f"{plain(self.within)} {part.unit_of_count}{'' if one else 's'}",
            "relative": f"{plain(self.within)} % of their mean",
            "absolute": f"{plain(self.within)} {sign(part.unit)}".rstrip(),
            "steps": f"{plain(self.within)} step{'' if one else 's'} of the card",
        }[self.rule]
        return f"{within}, or {plain(self.floor)} {sign(part.unit)}".rstrip() if self.floor else within


class BlankRule(Checked):
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


class Method(Checked):
    """A versioned definition of a test.

    `keeps_hours` is how long after drawing a sample may still be tested, `sample_ml` what all of the test needs;
    `own_bottle` says of what is drawn into a bottle of its own how, and what the test takes.
    `ph_window` and `temperature_c` are what the sample must lie in. Without `agreement` one reading is a result.
    """

    key: Key
    version: Annotated[int, Field(ge=1, le=1_000_000)]
    name: Text
    test_name: Text
    range_name: Text = "one range"
    vessel: Text = "as the kit's sheet says"
    family: Key
    principle: Text
    # Empty where nothing is worn for it, or nothing is left of it.
    wear: MayBeEmpty
    waste: MayBeEmpty
    # The stream in which it is collected, by its key; none where the team has not said.
    waste_to: str = ""
    keeps_hours: Positive | None = None
    sample_ml: Positive | None = None
    own_bottle: Text | None = None
    ph_window: _SPAN | None = None
    temperature_c: _SPAN | None = None
    # How it is kept until then.
    keep: Text | None = None
    may_dilute: bool = False
    # Whether it only gives an idea: a limit wants a better test.
    screening: bool = False
    instrument: Key | None = None
    uses: tuple[Use, ...] = ()
    gear: tuple[Key, ...] = ()
    interferences: tuple[Text, ...] = ()
    parts: Annotated[tuple[Part, ...], Field(min_length=1, max_length=12)]
    computes: Annotated[tuple[Computed, ...], Field(max_length=12)] = ()
    agreement: AgreementRule | None = None
    blank: BlankRule | None = None
    # What a good blank does to the result, by the team's school.
    of_blank: Literal["widens", "off", "checks"] = "widens"
    steps: Annotated[tuple[Step, ...], Field(min_length=1, max_length=40)]

    @model_validator(mode="after")
    def _whole(self) -> Self:
        keys = [part.key for part in self.parts]
        named = [*keys, *(each.key for each in self.computes)]
        if len(set(named)) != len(named):
            raise ValueError("parts: two parts have the same key")
        if len(keys) > 1 and any(part.counted for part in self.parts):
            self._check_stages()
        if self.agreement and self.agreement.rule == "units" and not self.counted:
            raise ValueError("agreement.rule: only counted methods agree by units")
        if self.agreement and self.agreement.rule == "steps" and not self.agreement.steps_of(self.main):
            raise ValueError("agreement.rule: only what is matched against a card agrees by steps")
        if self.blank and not self.main.numbers.has_blank:
            raise ValueError("blank: only a count is checked by a blank of its own")
        for each in self.computes:
            if {each.of, each.minus or each.of} - set(keys):
                raise ValueError(f"computes: {each.key} wants a part that is not there")
            written = {(part.unit, part.form) for part in self.parts if part.key in (each.of, each.minus)}
            if each.minus and written != {(each.unit, each.form)}:
                raise ValueError(f"computes: {each.key} and what it is made of are written alike")
        self._check_steps(keys)
        self._check_packing()
        return self

    def _check_stages(self) -> None:
        """Two counts in one vessel, the second going on from the first."""
        counts = [part.counts for part in self.parts]
        counted = all(part.numbers.has_blank for part in self.parts)
        if counts[0] != "first" or {"", "first"} & set(counts[1:]) or not counted:
            raise ValueError("parts: of several counts the first is `first`, the others `further` or `all`")
        if self.blank:
            raise ValueError("blank: a vessel counted in two stages has none")

    def _check_packing(self) -> None:
        for number, use in enumerate(self.uses):
            if use.supply not in supplies() or not supplies()[use.supply].has_lots:
                raise ValueError(f"uses.{number}.supply: no supply with lots is called {use.supply}")
        if self.waste_to and self.waste_to not in waste_streams():
            raise ValueError(f"waste_to: no stream is called {self.waste_to}")
        if unknown := [key for key in self.gear if key not in supplies()]:
            raise ValueError(f"gear: nothing is called {unknown[0]}")
        used = {use.supply for use in self.uses}
        if missing := [part.table_of for part in self.parts if part.table_of and part.table_of not in used]:
            raise ValueError(f"parts: the table comes with {missing[0]}, which is not among uses")

    def _check_steps(self, keys: list[str]) -> None:
        kinds = [step.kind for step in self.steps]
        if self.counted and (kinds.count("count") != (2 if self.staged else 1) or "read" in kinds):
            raise ValueError("steps: a counted method has one step of kind count, in two stages two")
        if not self.counted:
            read = [key for step in self.steps if step.kind == "read" for key in step.parts or keys]
            if "count" in kinds or sorted(read) != sorted(keys):
                raise ValueError("steps: each part is read at exactly one step of kind read")
        asks = self._may_ask()
        conditions = [(f"steps.{n}", step.when) for n, step in enumerate(self.steps)]
        conditions += [(f"uses.{n}", use.when) for n, use in enumerate(self.uses)]
        for where, when in conditions:
            for key, answer in when.items():
                if key not in asks or not asks[key].may_lead_to(answer):
                    raise ValueError(f"{where}.when: nothing asks {key} with the answer {answer}")
        for number, step in enumerate(self.steps):
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
    def read_keys(self) -> tuple[str, ...]:
        """The parts that are read, not counted, by key."""
        return () if self.counted else tuple(part.key for part in self.parts)

    def read_at(self, number: int) -> tuple[str, ...]:
        """Return the parts that are read at a step, by key: none where it reads nothing, all where it names none."""
        step = self.steps[number]
        return (step.parts or self.read_keys) if step.kind == "read" else ()

    def step_reading(self, key: str) -> int:
        """Return the number of the step at which a part is read; raises StopIteration where none reads it."""
        return next(number for number in range(len(self.steps)) if key in self.read_at(number))

    @property
    def reads_temperature(self) -> bool:
        """Whether the water's temperature is read with a part: it is not asked for besides."""
        return any(part.with_temperature or getattr(part.numbers, "per_degree", 0.0) for part in self.parts)

    @property
    def staged(self) -> bool:
        """Whether one vessel is counted in two stages, the second going on from the first."""
        return self.main.counts == "first"

    def second_stops_at(self, first: int) -> int:
        """Return at how many units the second stage's range ends, after `first` in the first."""
        second = self.parts[1]
        return second.stop_at - first if second.counts == "all" else second.stop_at

    @property
    def finds(self) -> tuple[Part, ...]:
        """All it finds out: its parts, and what is computed from them."""
        return (*self.parts, *(each.part for each in self.computes))

    @property
    def asks(self) -> dict[str, Ask]:
        """What is asked on the way, by key."""
        return {step.ask.key: step.ask for step in self.steps if step.ask}

    @property
    def parameters(self) -> tuple[str, ...]:
        """What it finds out, in order."""
        return tuple(dict.fromkeys(part.parameter for part in self.finds))

    def _may_ask(self) -> dict[str, Ask]:
        """What is asked on the way, and what its windows ask where it is led at a place."""
        windows = window_steps(self.ph_window, self.temperature_c)
        return {key: step.ask for key, step in windows.items() if step.ask} | self.asks

    def applies(self, each: Step | Use, answers: Mapping[str, Any]) -> bool:
        """Whether a step is done, or a supply used, at all under the answers given."""
        asks = self.asks
        return all(key in asks and asks[key].leads_to(answers.get(key), wanted) for key, wanted in each.when.items())

    def condition(self, step: Step) -> str:
        """Say under which answers a step is done; empty where it always is."""
        asks, texts = self._may_ask(), {each.ask.key: each.text for each in self.steps if each.ask}
        text = []
        for key, wanted in step.when.items():
            words = asks[key].in_words(wanted)
            text.append(f"“{words}” to “{texts[key]}”" if asks[key].answers else words)
        return ", ".join(text)

    def used_under(self, answers: Mapping[str, Any]) -> list[Use]:
        """Return what is used up under the answers given."""
        return [use for use in self.uses if self.applies(use, answers)]

    @property
    def lots_matter(self) -> frozenset[str]:
        """The supplies whose lots a result names: not the strips that only tell the sample's pH."""
        return frozenset(use.supply for use in self.uses if "measured" not in use.when.values())

    def part(self, key: str) -> Part:
        """Return a part by its key; raises KeyError."""
        return {part.key: part for part in self.finds}[key]

    @property
    def reach(self) -> float | None:
        """The highest result of the range, in the main part's unit."""
        return self.main.reach

    @property
    def units_a_run(self) -> int:
        """Drops or tablets a run is reckoned with: half of those at which the range ends; 0 where none are counted."""
        further = self.second_stops_at(0) if self.staged else 0
        together = further if self.staged and self.parts[1].counts == "all" else self.main.stop_at + further
        return math.ceil(together / 2)

    def under(self, schools: Mapping[str, str]) -> Method:
        """Return the method as a team of these schools runs it (see kessa.core.job.schools for the keys)."""
        chosen = complete(schools)
        parts = tuple(_part_under(part, chosen) for part in self.parts)
        agreement = self.agreement and _agreement_under(self.agreement, self.main, chosen)
        of_blank = chosen["good_blank"]
        return self.model_copy(update={"parts": parts, "agreement": agreement, "of_blank": of_blank})

    def with_tables(self, tables: Mapping[str, Any]) -> Method:
        """Return the method with the conversion tables of the lots in use, by supply, as the numbers of its parts."""
        definition = self.snapshot()
        for part in definition["parts"]:
            if part.get("table_of") in tables:
                part["numbers"]["pairs"] = tables[part["table_of"]]
        return Method.model_validate(definition)

    @property
    def drop_of(self) -> tuple[str, float] | None:
        """Of what supply a drop is counted, and how many mL it is taken to be; None where no drops are counted."""
        drop_ml = self.main.titrant.drop_ml if self.counted and self.main.titrant else None
        counted = next((use.supply for use in self.uses if use.per == "unit"), None)
        return (counted, drop_ml) if counted and drop_ml else None

    def with_weighed(self, grams_of_20: Mapping[str, float]) -> Method:
        """Return the method with the drops that a bottle lets fall, from what 20 of them weigh, by supply.

        unit_ratio = grams / 20 / the method's drop in mL: dilute reagents weigh 1 g a mL within the scale's own error.
        A weighed bottle's drops are known to 1.5 % instead of 5, so the interval allows less.
        """
        if self.drop_of is None or self.drop_of[0] not in grams_of_20:
            return self
        supply, drop_ml = self.drop_of
        definition = self.snapshot()
        for part in definition["parts"]:
            numbers = part["numbers"]
            numbers["unit_ratio"] = round(grams_of_20[supply] / 20 / drop_ml, 4)
            numbers["precision_percent"] = min(numbers.get("precision_percent", _WEIGHED_PERCENT), _WEIGHED_PERCENT)
        return Method.model_validate(definition)

    def with_spread(self, percent: float) -> Method:
        """Return the method as good as a team's own standards show it to be: to `percent` of the value (above 0).

        Standards are of its first part, and so is this. A spread below half of the kit's own is not believed: standards
        say less of water than they seem to.
        """
        definition = self.snapshot()
        numbers = definition["parts"][0]["numbers"]
        house = numbers.get("precision_percent", 0.0)
        numbers["precision_percent"] = round(max(percent, house / 2), 1)
        return Method.model_validate(definition)

    @property
    def lacks_table(self) -> tuple[str, ...]:
        """The supplies whose lot's conversion table it still needs."""
        return tuple(part.table_of for part in self.parts if part.table_of and part.lacks_table)

    def snapshot(self) -> dict[str, Any]:
        """Return the whole definition as plain data, to be kept with what was measured by it."""
        return self.model_dump(mode="json", by_alias=True, exclude_none=True)


def _agreement_under(rule: AgreementRule, main: Part, chosen: Mapping[str, str]) -> AgreementRule:
    """The kit's own rule, or the team's: 2 units, 20 %, one unit's worth, one step of the card."""
    school = chosen["agreement"]
    within = {"units": 2.0, "relative": 20.0, "absolute": main.per, "steps": 1.0}.get(school)
    # Units and their worth mean something only where units are worth something, steps only on a card.
    has_worth, has_steps = hasattr(main.numbers, "per"), hasattr(main.numbers, "steps")
    in_proportion = parameter(main.parameter).differences == "proportion"
    applying = {"units": has_worth, "absolute": has_worth, "relative": in_proportion, "steps": has_steps}
    applies = applying.get(school, False)
    changed = {"rule": school, "within": within, "floor": 0.0} if applies else {}
    return rule.model_copy(update={**changed, "takes": chosen["duplicates"]})


def _part_under(part: Part, chosen: Mapping[str, str]) -> Part:
    changed: dict[str, Any] = {}
    # A kit that reports the middle by itself has taken its step back already.
    if getattr(part.numbers, "report", None) == "count":
        changed["report"] = {"before": "before", "middle": "midpoint"}.get(chosen["endpoint"], "count")
    if part.more_is_clearer is not None:
        less_clear = {True: "lower", False: "upper"}[part.more_is_clearer]
        more_clear = {True: "upper", False: "lower"}[part.more_is_clearer]
        by_school = {"less-clear": less_clear, "more-clear": more_clear, "middle": "middle"}
        changed["between"] = by_school[chosen["clarity_tube"]]
    return part.model_copy(update={"numbers": part.numbers.model_copy(update=changed)}) if changed else part
