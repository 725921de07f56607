"""What something does to the water it is found in, as data."""

from __future__ import annotations

from pathlib import Path

from kessa.core.checked import Checked
from kessa.core.datafile import data_file, read_toml
from kessa.core.job.place_kinds import Water
from kessa.core.quantities.parameters import parameter


class Meaning(Checked):
    """What some parameters do in one kind of water, in three sentences."""

    parameters: tuple[str, ...]
    water: Water
    words: tuple[str, str, str]


class _Meanings(Checked):
    meanings: tuple[Meaning, ...]


@data_file
def _meanings() -> tuple[Meaning, ...]:
    return read_toml(Path(__file__).with_suffix(".toml"), _Meanings).meanings


def meaning_of(name: str, water: str) -> tuple[str, ...]:
    """Return what a parameter does in such water, in three sentences; nothing where nothing is written.

    >>> len(meaning_of("ammonium", "open")), meaning_of("ammonia", "plant")
    (3, ())
    """
    key = parameter(name).key
    fitting = (each.words for each in _meanings() if each.water == water and key in each.parameters)
    return next(fitting, ())
