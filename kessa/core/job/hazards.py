"""What reagents can do to people: the harm, whom to keep away, what not to be alone with, the first thing to do."""

from __future__ import annotations

from collections.abc import Collection
from pathlib import Path

from kessa.core.checked import Checked
from kessa.core.datafile import data_file, read_toml


class Hazard(Checked):
    """What some supplies can do. `alone`: whether nobody works with it out of call of another."""

    key: str
    name: str
    supplies: tuple[str, ...]
    harm: str
    away: str = ""
    alone: bool = False
    first_aid: str
    swallowed: str


class _Hazards(Checked):
    hazards: tuple[Hazard, ...]


@data_file
def hazards() -> tuple[Hazard, ...]:
    """Return every hazard; raises BadDataFile."""
    return read_toml(Path(__file__).with_suffix(".toml"), _Hazards).hazards


def hazards_of(supplies: Collection[str]) -> list[Hazard]:
    """Return what these supplies can do to people."""
    return [hazard for hazard in hazards() if set(hazard.supplies) & set(supplies)]
