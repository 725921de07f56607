"""What water is used for or runs through, as data."""

from __future__ import annotations

from pathlib import Path

from kessa.core.checked import Checked
from kessa.core.datafile import data_file, read_toml


class Feed(Checked):
    """One use of the water of some kinds of place, in plain words."""

    key: str
    words: str
    kinds: tuple[str, ...]


class _Feeds(Checked):
    feeds: tuple[Feed, ...]


@data_file
def feeds() -> tuple[Feed, ...]:
    """Return every use; raises BadDataFile on a faulty file."""
    return read_toml(Path(__file__).with_suffix(".toml"), _Feeds).feeds


def feeds_of(kind: str) -> list[Feed]:
    """Return what is asked of a kind of place."""
    return [each for each in feeds() if kind in each.kinds]
