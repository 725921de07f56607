"""Limits and the sets in which they stand: published ones, treatment programmes, and a team's own."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from pathlib import Path
from typing import Annotated, Any, Literal, Self

from pydantic import Field, model_validator

from kessa.core.checked import Checked, NotNegative, Number, YesNo
from kessa.core.datafile import data_file, read_toml
from kessa.core.errors import CannotCompute
from kessa.core.found import folders_of
from kessa.core.job.place_kinds import water_of
from kessa.core.judging.formulas import FORMULAS
from kessa.core.judging.protected import USUALLY, Protects, decision_rule
from kessa.core.judging.statistics import SINGLE, Statistic, statistic_of
from kessa.core.methods.parts import Part
from kessa.core.quantities.parameters import parameter as known_parameter
from kessa.core.quantities.units import UNITS, convert

SETS = Path(__file__).parent / "sets"
_GERMS = Path(__file__).with_name("germs.toml")
PERCENT = "%"
# What has no unit of UNITS, or a compound one.
IN_UNITS = (*UNITS, PERCENT, "pH", "ratio", "cycles", "index", "m³/day", "kg/day")
_WORDS = Field(default="", max_length=600)


class Limit(Checked):
    """One limit with its source, for what its statistic says of a series of results.

    `aim` is where treating brings what is beyond it, where its team chose that. `formula` names one that depends on
    other readings of the sample (see formulas.py). `compared` makes it one of the difference from another place's
    result of the day, or from what is usual; with unit "%" of what part of it is there.
    `do_high` and `do_low` are the set's own words for what to do beyond it, `codes` what is to be done besides (see
    kessa.core.advising). `rule` is what decides near it, where it is not what follows from what it `protects`. It holds
    at these `kinds` of place, at all where none is named; `over` "taps": each tap has a reading of its own, and the
    statistic is that of a supply's taps. `tell` names by which rule of its set it is told to whom how soon.
    """

    parameter: Annotated[str, Field(min_length=1, max_length=60)]
    form: str | None = Field(default=None, alias="as")
    unit: str
    min: Number | None = None
    max: Number | None = None
    aim: Number | None = None
    formula: str | None = None
    compared: Literal["upstream", "supply", "reference", "usual"] | None = None
    statistic: str = SINGLE
    rule: Literal["simple", "guarded"] | None = None
    protects: Protects = "health"
    kinds: tuple[str, ...] = ()
    over: Literal["taps"] | None = None
    codes: tuple[str, ...] = ()
    tell: str = ""
    source: Annotated[str, Field(max_length=300)] = ""
    note: str = _WORDS
    do_high: str = _WORDS
    do_low: str = _WORDS

    @model_validator(mode="after")
    def _can_be_held(self) -> Self:
        if (self.min is None and self.max is None) == (self.formula is None):
            raise ValueError("give min or max, or else a formula")
        if self.min is not None and self.max is not None and self.min > self.max:
            raise CannotCompute("The limit's min is above its max.", "min")
        if self.aim is not None and not self._allows(self.aim):
            raise CannotCompute("The aim lies within the limit.", "aim")
        known_parameter(self.parameter)
        statistic_of(self.statistic)
        if self.formula is not None and self.formula not in FORMULAS:
            raise CannotCompute(f"formula must be one of: {', '.join(FORMULAS)}.", "formula")
        if self.compared and self.formula:
            raise CannotCompute("A formula is held against the result itself.", "compared")
        return self

    def _allows(self, value: float) -> bool:
        return (self.min is None or value >= self.min) and (self.max is None or value <= self.max)

    @property
    def about(self) -> Statistic:
        """What of a series of results it is about."""
        return statistic_of(self.statistic)

    @property
    def decided_by(self) -> str:
        """By which rule a result is held against it: its own, or the one that follows from what it protects."""
        return self.rule or decision_rule(self.protects)

    @property
    def of_one_reading(self) -> bool:
        """Whether one result can be held against it without anything besides."""
        return self.formula is None and self.compared is None and self.about.one_will_do


class SetLimit(Limit):
    """A limit as it stands in a set: in a unit into which results can be brought."""

    @model_validator(mode="after")
    def _in_a_known_unit(self) -> Self:
        if self.unit not in IN_UNITS:
            raise CannotCompute(f"{self.unit} is no unit of a limit.", "unit")
        if self.form is not None:
            convert(1.0, self.unit, self.form, self.unit, self.form)
        return self


class Tell(Checked):
    """By which rule those who drink a water, or an authority, are told: in words, and within how many hours."""

    words: Annotated[str, Field(max_length=400)]
    within_h: NotNegative | None = None


class RuleSet(Checked):
    """Limits that stand together.

    Of laws one applies, mostly; `everywhere` marks what holds where none is known. The numbers of a programme are
    examples, to be replaced by the supplier's; a set besides adds to a law what not every water has.
    """

    key: Annotated[str, Field(pattern=r"^[a-z0-9-]{1,60}$")]
    version: Annotated[int, Field(ge=1)]
    title: Annotated[str, Field(min_length=1, max_length=100)]
    applies_to: Literal["drinking", "stream", "plant"]
    about: Annotated[str, Field(max_length=600)] = ""
    role: Literal["law", "programme", "besides"] = "law"
    everywhere: YesNo = False
    # For which kinds of place it is proposed, where the water feeds what is named and not what is in `without`.
    kinds: tuple[str, ...] = ()
    feeds: tuple[str, ...] = ()
    without: tuple[str, ...] = ()
    # Above and up to which of the place's facts it holds, such as a boiler's pressure.
    between: dict[str, tuple[Number, Number]] = Field(default_factory=dict)
    tells: dict[str, Tell] = Field(default_factory=dict)
    limits: Annotated[tuple[SetLimit, ...], Field(max_length=200)]

    @model_validator(mode="before")
    @classmethod
    def _each_protects_something(cls, given: Any) -> Any:
        """A limit that does not say what it protects protects what its set is about."""
        limits = given.get("limits") if isinstance(given, Mapping) else None
        if not isinstance(limits, list | tuple):
            return given
        usually = {"protects": USUALLY.get(str(given.get("applies_to")), "health")}
        return {**given, "limits": [usually | each if isinstance(each, dict) else each for each in limits]}

    @model_validator(mode="after")
    def _tells_are_there(self) -> Self:
        for limit in self.limits:
            if limit.tell and limit.tell not in self.tells:
                raise CannotCompute(f"tell: the set has no rule {limit.tell} of who is told.", "tell")
        return self

    def __hash__(self) -> int:
        """Sets of one key and version are one."""
        return hash((self.key, self.version))


@data_file
def rule_sets() -> dict[str, RuleSet]:
    """Return the sets that ship with Kessa, or come with a package from outside, by key; raises BadDataFile."""
    files = (path for folder in (SETS, *folders_of("kessa.rule_sets")) for path in sorted(folder.glob("*.toml")))
    return {found.key: found for found in (read_toml(path, RuleSet) for path in files)}


def proposed_sets(kind: str, facts: Mapping[str, Any], feeds: Collection[str], used: Collection[str]) -> list[str]:
    """Return the keys of the shipped sets that fit a place by its kind, its facts and what it feeds.

    Of laws those of `used`, by which the team goes elsewhere; without any what holds everywhere, else the first.
    """
    fitting = [found for found in rule_sets().values() if _fits(found, kind, facts, feeds)]
    laws = [found for found in fitting if found.role == "law"]
    chosen = [law for law in laws if law.key in used] or [law for law in laws if law.everywhere] or laws[:1]
    return [found.key for found in (*chosen, *(each for each in fitting if each.role != "law"))]


def unfitting(
    chosen: Collection[str], kind: str, before: tuple[Mapping[str, Any], Collection[str]],
    now: tuple[Mapping[str, Any], Collection[str]],
) -> list[str]:  # fmt: skip
    """Return which of the chosen shipped sets fitted a place before its facts or uses changed, and do no more.

    `before` and `now` are its facts and what its water is used for.
    """
    known = (rule_sets()[key] for key in chosen if key in rule_sets())
    return [found.key for found in known if _fits(found, kind, *before) and not _fits(found, kind, *now)]


def _fits(found: RuleSet, kind: str, facts: Mapping[str, Any], feeds: Collection[str]) -> bool:
    # A well is drunk of where nobody said so, and what people drink is drinking water wherever it comes from.
    drunk = water_of(kind, feeds) == "drinking"
    uses = {*feeds, "people"} if drunk else feeds
    named = set(found.feeds).issubset(uses) and not any(key in uses for key in found.without)
    there = kind in found.kinds or (drunk and "people" in found.feeds)
    return there and named and all(_lies_between(facts.get(name), *ends) for name, ends in found.between.items())


def _lies_between(fact: Any, above: float, up_to: float) -> bool:
    """What is not known of a place excludes nothing."""
    return not isinstance(fact, int | float) or above < fact <= up_to


@data_file
def germs() -> RuleSet:
    """Return what no drinking water may hold, whichever sets are chosen; raises BadDataFile on a faulty file."""
    return read_toml(_GERMS, RuleSet)


def speaking_of(
    parameter: str, sets: Sequence[RuleSet], kind: str = "", feeds: Collection[str] = ()
) -> list[tuple[RuleSet, Limit]]:
    """Return the limits of the sets for a parameter, by any of its names, that hold at a kind of place.

    In water that people drink germs are never without one: see `germs`.
    """
    key = known_parameter(parameter).key
    chosen: list[tuple[RuleSet, Limit]] = [
        (found, limit) for found in sets for limit in _on(found, key) if not limit.kinds or kind in limit.kinds
    ]
    if chosen or not kind or water_of(kind, feeds) != "drinking":
        return chosen
    return [(germs(), limit) for limit in _on(germs(), key)]


def _on(found: RuleSet, key: str) -> list[SetLimit]:
    return [limit for limit in found.limits if known_parameter(limit.parameter).key == key]


def window_of(part: Part) -> Limit:
    """Return what the method itself wants of a part, as a limit: all of an interval must be inside."""
    assert part.wanted is not None
    data = {"parameter": part.parameter, "as": part.form, "unit": part.unit, "rule": "guarded"}
    return Limit.model_validate({**part.wanted.model_dump(), **data, "protects": "treatment"})
