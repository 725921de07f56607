"""How grave a finding is where, how things are done, and what can hurt at them: data."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from typing import Annotated, Literal

from pydantic import Field

from kessa.core.checked import Checked, NotNegative
from kessa.core.datafile import data_file, read_toml
from kessa.core.quantities.parameters import parameter

# Of ranks: up to here it may harm before a second test is done; and the least grave there is.
AT_ONCE, LEAST_GRAVE = 1, 6


class Grave(Checked):
    """How grave a finding is at some kinds of place."""

    kinds: tuple[str, ...]
    parameters: tuple[str, ...]
    side: Literal["high", "low", "present"]
    rank: Annotated[int, Field(ge=0, le=LEAST_GRAVE)]


class Way(Checked):
    """How something is done: what can hurt at it by kind of place, and when one tests again."""

    key: str
    again_hours: NotNegative
    cautions: dict[str, str]

    def caution(self, kind: str) -> str:
        """Return what can hurt at it at a kind of place."""
        return self.cautions.get(kind, self.cautions.get("any", ""))


class _Treatments(Checked):
    graves: tuple[Grave, ...]
    ways: tuple[Way, ...]


@data_file
def _read() -> _Treatments:
    return read_toml(Path(__file__).with_name("treatments.toml"), _Treatments)


@cache
def ways() -> dict[str, Way]:
    """Return how things are done, by key; raises BadDataFile on a faulty file."""
    return {way.key: way for way in _read().ways}


def rank_of(kind: str, name: str, side: str) -> int:
    """Return how grave it is to find a parameter on a side of its limits at a kind of place: 0 is the gravest.

    >>> rank_of("boiler", "conductivity", "high"), rank_of("boiler", "copper", "high")
    (2, 5)
    """
    key = parameter(name).key
    fitting = (each for each in _read().graves if kind in each.kinds and side == each.side and key in each.parameters)
    return next((each.rank for each in fitting), LEAST_GRAVE - 1)
