"""The rules of what is done about a finding, and the codes in the order in which they are done: data."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import Literal, Self

from pydantic import Field, model_validator

from kessa.core.checked import Checked, NotNegative, YesNo
from kessa.core.datafile import data_file, read_toml
from kessa.core.job.place_kinds import Water
from kessa.core.judging.protected import Protects

Verdict = Literal["outside", "not settled", "close", "inside", "not judged"]


class Instead(Checked):
    """What a code says in place of its usual sentence, for some parameters, waters or kinds of place."""

    say: str
    parameters: tuple[str, ...] = ()
    # Where it is about nothing else.
    only: YesNo = False
    water: tuple[Water, ...] = ()


class Code(Checked):
    """One thing to do: what it says, and what it is for. See codes.toml."""

    key: str
    does: Literal["protects", "tells", "tests", "finds", "waits"]
    say: str
    instead: tuple[Instead, ...] = ()
    # Whether it is a step of a list to tick.
    ticked: YesNo = True
    # What it does not name beside others.
    unnamed: tuple[str, ...] = ()
    # Whether a person ends it, and no newer result.
    until_lifted: YesNo = False


class _Codes(Checked):
    codes: tuple[Code, ...]


class _Asks(Checked):
    hours: dict[str, NotNegative] = Field(default_factory=dict)
    codes: tuple[str, ...] = ()

    @model_validator(mode="after")
    def _known(self) -> Self:
        unknown = [code for code, _ in self.asked if code not in codes()]
        if unknown:
            raise ValueError(f"there is no code {unknown[0]}")
        return self

    @property
    def asked(self) -> list[tuple[str, float | None]]:
        """The codes that are asked for, each with within how many hours."""
        return [*self.hours.items(), *((code, None) for code in self.codes)]


class Rule(_Asks):
    """What some findings ask for: see rules.toml."""

    verdicts: tuple[Verdict, ...]
    why: str
    water: Water | None = None
    parameters: tuple[str, ...] = ()
    protects: tuple[Protects, ...] = ()
    side: Literal["high", "low"] | None = None
    kinds: tuple[str, ...] = ()
    roles: tuple[str, ...] = ()
    found: YesNo = False

    def fits(
        self, water: str, kind: str, parameter: str, verdict: str, protects: str, side: str, role: str, *, found: bool
    ) -> bool:
        """Whether it speaks of a finding: of which water, by which verdict, of a limit that protects what."""
        return (
            verdict in self.verdicts
            and self.water in (None, water)
            and self.side in (None, side)
            and (not self.parameters or parameter in self.parameters)
            and (not self.protects or protects in self.protects)
            and (not self.kinds or kind in self.kinds)
            and (not self.roles or role in self.roles)
            and (found or not self.found)
        )


class Seen(_Asks):
    """What somebody begins who sees something wrong, without a number."""

    water: Water
    key: str
    title: str
    protects: str


class _Rules(Checked):
    rules: tuple[Rule, ...]
    seen: tuple[Seen, ...]


@data_file
def codes() -> dict[str, Code]:
    """Return the codes by key, in the order in which they are done; raises BadDataFile on a faulty file."""
    return {each.key: each for each in read_toml(Path(__file__).with_name("codes.toml"), _Codes).codes}


@data_file
def _read() -> _Rules:
    return read_toml(Path(__file__).with_name("rules.toml"), _Rules)


def rules() -> tuple[Rule, ...]:
    """Return the rules; raises BadDataFile on a faulty file."""
    return _read().rules


@lru_cache(maxsize=4096)
def fitting(
    water: str, kind: str, parameter: str, verdict: str, protects: str, side: str, role: str, *, found: bool
) -> tuple[Rule, ...]:
    """Return the rules that speak of a finding (see Rule.fits)."""
    about = (water, kind, parameter, verdict, protects, side, role)
    return tuple(rule for rule in rules() if rule.fits(*about, found=found))


def seen(water: str) -> Seen | None:
    """Return what is begun by who sees something wrong at such water; None where nothing is written."""
    return next((each for each in _read().seen if each.water == water), None)
