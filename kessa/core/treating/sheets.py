"""What is done where people drink of the water, or where something harms a stream: lists to tick, as data."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import cache
from pathlib import Path
from typing import Annotated, Any, Literal, NamedTuple

from pydantic import Field

from kessa.core.checked import Checked, NotNegative, YesNo
from kessa.core.datafile import read_toml
from kessa.core.job.place_kinds import Water
from kessa.core.quantities.parameters import parameter
from kessa.core.treating.systems import Finding, Proposal, Step
from kessa.core.treating.ways import LEAST_GRAVE

# Whom a team may name, and who is meant where it has named nobody.
ROLES = {
    "authority": "your local health authority",
    "laboratory": "a certified laboratory",
    "drinkers": "everybody who drinks it",
    "keeper": "the owner or keeper",
    "spill_line": "the water authority by your local rules",
}


class _Step(Checked):
    key: str
    text: str
    within: NotNegative | None = None


class _Sheet(Checked):
    key: str
    water: Water
    parameters: tuple[str, ...] = ()
    sets: tuple[str, ...] = ()
    # Words of the limit's source, such as the part of a law in which it stands.
    source: str = ""
    acute: YesNo = False
    side: Literal["high", "low", "present", "seen"]
    rank: Annotated[int, Field(ge=0, le=LEAST_GRAVE)]
    title: str
    protects: str
    steps: tuple[_Step, ...]


class Rule(Checked):
    """By which rule who has to be told how soon, for limits of some sets."""

    sets: tuple[str, ...]
    acute: YesNo
    words: str
    within: NotNegative | None = None


class _Sheets(Checked):
    sheets: tuple[_Sheet, ...]
    rules: tuple[Rule, ...]


@cache
def _read() -> _Sheets:
    return read_toml(Path(__file__).with_suffix(".toml"), _Sheets)


class Limit(NamedTuple):
    """What of the limit that decides a sheet wants to know: of which set, its source, its note."""

    rule_set: str = ""
    source: str = ""
    note: str = ""


def sheet_of(finding: Finding, water: Water, limit: Limit, told: Callable[[int], Mapping[str, str]]) -> Proposal | None:
    """Return the list for a finding in water that people drink or that is out of doors; None where none is written.

    `told` gives whom the team has named for each of ROLES, for something so grave.
    """
    known = parameter(finding.parameter)
    fitting = (
        each for each in _read().sheets
        if each.water == water and each.side == finding.side
        and (not each.parameters or known.key in each.parameters)
        and (not each.sets or limit.rule_set in each.sets)
        and each.source in limit.source
        and (not each.acute or known.acute)
    )  # fmt: skip
    sheet = next(fitting, None)
    if sheet is None:
        return None
    names: dict[str, Any] = {**ROLES, **told(sheet.rank), "parameter": known.title}
    rule = rule_of(limit.rule_set, acute=known.acute)
    working = [
        f"The limit: {limit.source}." if limit.source else "",
        limit.note and f"Its note: {limit.note}.",
    ]
    # A list for some parameters is one for all of them.
    key = sheet.key if sheet.parameters else known.key
    return _written(sheet, key, names)._replace(
        working=tuple(filter(None, [*working, rule.words if rule else ""])),
        parameter=finding.parameter,
        unit=finding.unit,
        form=finding.form,
        results=(finding.result,),
    )


def seen_sheet(water: Water, told: Callable[[int], Mapping[str, str]]) -> Proposal | None:
    """Return the list that somebody begins who sees something wrong at such water; None where none is written."""
    sheet = next((each for each in _read().sheets if each.water == water and each.side == "seen"), None)
    return _written(sheet, sheet.key, {**ROLES, **told(sheet.rank)}) if sheet else None


def _written(sheet: _Sheet, key: str, names: Mapping[str, Any]) -> Proposal:
    return Proposal(
        key=f"sheet:{key}",
        by="sheet",
        rank=sheet.rank,
        position=0,
        title=sheet.title.format(**names),
        why=sheet.protects,
        steps=tuple(Step(step.key, step.text.format(**names), step.within) for step in sheet.steps),
    )


def rule_of(rule_set: str, *, acute: bool) -> Rule | None:
    """Return by which rule who is told how soon, for a limit of a set; None where none is known.

    >>> rule_of("us-primary", acute=True).within
    24.0
    """
    fitting = [each for each in _read().rules if rule_set in each.sets and (acute or not each.acute)]
    return next(iter(sorted(fitting, key=lambda each: not each.acute)), None)
