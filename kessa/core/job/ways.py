"""The ways to draw a sample, as data."""

from functools import cache
from pathlib import Path

from kessa.core.checked import Checked
from kessa.core.datafile import read_toml


class Way(Checked):
    """A way to draw a sample: where it is used, what can hurt, and its steps; {depth} stands for the team's depth."""

    key: str
    name: str
    places: tuple[str, ...]
    caution: str
    steps: tuple[str, ...]


class _Oxygen(Checked):
    steps: tuple[str, ...]


class _Ways(Checked):
    ways: tuple[Way, ...]
    oxygen: _Oxygen


@cache
def _read() -> _Ways:
    return read_toml(Path(__file__).with_suffix(".toml"), _Ways)


def ways_for(kind_key: str) -> list[Way]:
    """Return the ways used at a kind of place; raises BadDataFile on a faulty file."""
    return [way for way in _read().ways if kind_key in way.places]


def oxygen_steps() -> tuple[str, ...]:
    """Return what is done besides where oxygen is tested."""
    return _read().oxygen.steps
