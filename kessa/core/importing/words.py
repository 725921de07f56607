"""Words of other people's tables, as words.toml has them."""

from __future__ import annotations

import unicodedata
from pathlib import Path

from pydantic import Field

from kessa.core.checked import Checked
from kessa.core.datafile import data_file, read_toml


class Words(Checked):
    """What cells and heads say, in plain letters: see `plain`."""

    empty: frozenset[str]
    not_detected: frozenset[str]
    present: frozenset[str]
    absent: frozenset[str]
    clock: frozenset[str]
    months: tuple[tuple[str, ...], ...] = Field(min_length=12, max_length=12)
    heads: dict[str, tuple[str, ...]]
    tests: dict[str, tuple[str, ...]]


@data_file
def words() -> Words:
    """Return the words of tables; raises BadDataFile on a faulty file."""
    return read_toml(Path(__file__).with_suffix(".toml"), Words)


def plain(text: str) -> str:
    """Return text in small letters without accents, single spaces between its words.

    >>> plain(" Leitfähigkeit   (EL.)")
    'leitfahigkeit (el.)'
    """
    apart = unicodedata.normalize("NFKD", text.casefold().replace("ł", "l"))
    return " ".join("".join(letter for letter in apart if not unicodedata.combining(letter)).split())
