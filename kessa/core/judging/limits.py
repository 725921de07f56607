"""Published limits, and holding a result against every one that speaks of it."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache
from pathlib import Path
from typing import Annotated, Any, Literal, Self

from pydantic import Field, model_validator

from kessa.core.checked import Checked, Number
from kessa.core.datafile import read_toml
from kessa.core.errors import CannotCompute
from kessa.core.judging.judge import CLOSE, INSIDE, NOT_SETTLED, Interval, Limit, gravest, judge
from kessa.core.methods.parts import Part
from kessa.core.methods.schema import Method
from kessa.core.quantities.parameters import parameter as known_parameter
from kessa.core.quantities.quantity import Quantity

SETS = Path(__file__).parent / "sets"
_SINGLE = "single sample"
# What verdicts become where runs do not agree.
NOT_AGREED = {INSIDE: NOT_SETTLED, CLOSE: NOT_SETTLED}


class PublishedLimit(Checked):
    """One limit with its source. `formula` names a limit that depends on other readings, such as pH."""

    parameter: str
    form: str | None = Field(default=None, alias="as")
    unit: str
    min: Number | None = None
    max: Number | None = None
    formula: str | None = None
    statistic: str
    rule: Literal["simple", "guarded"]
    source: str
    note: str = ""

    @model_validator(mode="after")
    def _one_of(self) -> Self:
        if (self.min is None and self.max is None) == (self.formula is None):
            raise ValueError("give min or max, or else a formula")
        return self

    @property
    def against_average(self) -> str | None:
        """What to say when one reading is held against a limit meant for something longer; None for a single sample."""
        return (
            None
            if self.statistic == _SINGLE
            else f"one reading against a {self.statistic.replace(' term', '-term value')}"
        )


class RuleSet(Checked):
    """Limits published together."""

    key: str
    version: Annotated[int, Field(ge=1)]
    title: str
    applies_to: str
    about: str
    limits: tuple[PublishedLimit, ...]


@cache
def rule_sets() -> dict[str, RuleSet]:
    """Return the published rule sets by key; raises BadDataFile on a faulty file."""
    return {found.key: found for found in (read_toml(path, RuleSet) for path in sorted(SETS.glob("*.toml")))}


def _speaking_of(parameter: str, set_keys: list[str]) -> list[tuple[RuleSet, PublishedLimit]]:
    key = known_parameter(parameter).key
    chosen = [rule_sets()[each] for each in set_keys if each in rule_sets()]
    return [(found, limit) for found in chosen for limit in found.limits if known_parameter(limit.parameter).key == key]


def limits_for(parameter: str, set_keys: list[str]) -> list[tuple[RuleSet, PublishedLimit]]:
    """Return the limits with numbers of their own for a parameter, by any of its names; keys of no set are skipped."""
    return [(found, limit) for found, limit in _speaking_of(parameter, set_keys) if limit.formula is None]


def not_judged(result: Quantity, parameter: str, set_keys: list[str]) -> list[tuple[RuleSet, PublishedLimit, str]]:
    """Return the limits that speak of a parameter and cannot be held against a result, each with the reason."""
    left = []
    for found, limit in _speaking_of(parameter, set_keys):
        if limit.formula:
            left.append((found, limit, "it depends on other readings of the same sample: not judged yet"))
            continue
        try:
            result.converted(limit.unit, limit.form)
        except CannotCompute:
            left.append((found, limit, f"{result.unit} does not convert into {limit.unit}"))
    return left


def judge_by_sets(
    result: Quantity, parameter: str, set_keys: list[str], rule: str | None = None
) -> list[dict[str, Any]]:
    """Hold a result against every limit of the sets for its parameter, each in the limit's own unit and form.

    A limit in a unit into which the result does not convert (NTU for JTU) says nothing about it and is left out.
    `rule` is "simple" or "guarded" for all of them, None for each limit's own.
    Returns one record a limit, with the limit and its source as they are today, ready to be kept with the result.
    """
    judgements = []
    for rule_set, limit in limits_for(parameter, set_keys):
        held = hold_against(result, limit, rule)
        if held is None:
            continue
        verdict, margin = held
        judgements.append(
            {
                **limit.model_dump(mode="json", by_alias=True),
                "rule": rule or limit.rule,
                "set": rule_set.key,
                "set_title": rule_set.title,
                "set_version": rule_set.version,
                "against_average": limit.against_average,
                "verdict": verdict,
                "margin": margin,
            }
        )
    return judgements


def hold_against(result: Quantity, limit: PublishedLimit, rule: str | None = None) -> tuple[str, float] | None:
    """Return (verdict, margin) of a result against one limit, in the limit's unit and form; None if there is no way."""
    try:
        there = result.converted(limit.unit, limit.form)
    except CannotCompute:
        return None
    return judge(
        Interval(there.value, there.low, there.high, there.censor), Limit(limit.min, limit.max), rule or limit.rule
    )


def window_of(part: Part) -> PublishedLimit:
    """Return what the method itself wants of a part, as a limit: all of an interval must be inside."""
    assert part.wanted is not None
    said = {"parameter": part.parameter, "as": part.form, "unit": part.unit, "statistic": _SINGLE, "rule": "guarded"}
    return PublishedLimit.model_validate({**part.wanted.model_dump(), **said})


def judge_by_window(result: Quantity, part: Part) -> dict[str, Any]:
    """Hold a result against what the method itself wants, as judge_by_sets does."""
    window = window_of(part)
    held = hold_against(part.own(result), window)
    assert held is not None
    verdict, margin = held
    return {
        **window.model_dump(mode="json", by_alias=True),
        "set": "method",
        "set_title": "wanted by the method",
        "set_version": 1,
        "against_average": None,
        "verdict": verdict,
        "margin": margin,
    }


def judge_part(
    result: Quantity, part: Part, set_keys: list[str], rule: str | None = None, *, agreed: bool = True
) -> list[dict[str, Any]]:
    """Hold a result of a part against the sets and what its method wants; `agreed` is whether its runs agreed."""
    judgements = judge_by_sets(result, part.parameter, set_keys, rule)
    if part.wanted:
        judgements.append(judge_by_window(result, part))
    return judgements if agreed else unsettled(judgements)


def verdict_by(name: str, judgements: list[dict[str, Any]]) -> str | None:
    """Return the verdict that judgements come to; None where nothing judges, or they settle nothing."""
    decisive = overall(judgements)
    return decisive["verdict"] if decisive and settles(name, judgements) else None


def settles(name: str, judgements: list[dict[str, Any]]) -> bool:
    """Whether judgements give a verdict: a most alone says nothing of what there may be too little of."""
    decisive = overall(judgements)
    inside = decisive is not None and decisive["verdict"] == INSIDE
    return not (inside and says_too_little(name, [each.get("min") for each in judgements]))


def says_too_little(name: str, least: Sequence[float | None]) -> bool:
    """Whether being inside says nothing: of what there may be too little of, no limit names a least."""
    return known_parameter(name).needs_least and all(each is None for each in least)


def overall(judgements: list[dict[str, Any]]) -> dict[str, Any] | None:
    """Return the judgement that decides: the gravest, of those the one with the least margin; None without limits."""
    if not judgements:
        return None
    verdict = gravest([judgement["verdict"] for judgement in judgements])
    return min((j for j in judgements if j["verdict"] == verdict), key=lambda judgement: float(judgement["margin"]))


def rule_for(method: Method, part: Part, school: str | None) -> str | None:
    """Return by which rule a part is judged: the team's school, but a screening settles no acute limit by its value.

    A card or a strip tells a step; where a limit is about a single drink or day, all of its interval has to be inside.
    """
    return "guarded" if method.screening and known_parameter(part.parameter).acute else school


def unsettled(judgements: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Return judgements of runs that do not agree: what would be inside or close is not settled."""
    return [{**each, "verdict": NOT_AGREED.get(each["verdict"], each["verdict"])} for each in judgements]
