"""The ways to draw a sample, as data."""

from pathlib import Path
from typing import Literal

from kessa.core.checked import Checked
from kessa.core.datafile import data_file, read_toml

Hazard = Literal["ice", "flood"]


class Way(Checked):
    """A way to draw a sample: where it is used, what can hurt, and its steps; {depth} stands for the team's depth.

    In ice or flood it is not taken (`never_in`), or before all others (`first_in`).
    """

    key: str
    name: str
    places: tuple[str, ...]
    never_in: tuple[Hazard, ...] = ()
    first_in: tuple[Hazard, ...] = ()
    caution: str
    steps: tuple[str, ...]


class _Oxygen(Checked):
    steps: tuple[str, ...]


class _Ways(Checked):
    ways: tuple[Way, ...]
    oxygen: _Oxygen


@data_file
def _read() -> _Ways:
    return read_toml(Path(__file__).with_suffix(".toml"), _Ways)


def ways_for(kind_key: str, hazard: str = "none") -> list[Way]:
    """Return the ways used at a kind of place in ice, flood or "none"; raises BadDataFile on a faulty file."""
    return [way for way in _read().ways if kind_key in way.places and hazard not in way.never_in]


def usual_way(ways: list[Way], usual: str, hazard: str = "none") -> str:
    """Return the key of the way that is offered: what ice or flood asks for, else the usual one where it is taken."""
    first = next((way.key for way in ways if hazard in way.first_in), usual)
    return first if first in {way.key for way in ways} else ""


def oxygen_steps() -> tuple[str, ...]:
    """Return what is done besides where oxygen is tested."""
    return _read().oxygen.steps
