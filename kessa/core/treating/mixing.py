"""What must never meet: in a system, in one slug, on a shelf or in a jar of waste."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import cache
from itertools import product
from pathlib import Path

from kessa.core.checked import Checked
from kessa.core.datafile import data_file, read_toml


class Substance(Checked):
    """Something that a product, a jar or a system holds, by what it does to others."""

    key: str
    words: str = ""


class Never(Checked):
    """Two things that must never meet, and why."""

    one: str
    other: str
    why: str


class _Mixing(Checked):
    substances: tuple[Substance, ...]
    never: tuple[Never, ...]


@data_file
def _read() -> _Mixing:
    return read_toml(Path(__file__).with_suffix(".toml"), _Mixing)


@cache
def held_by_products() -> dict[str, str]:
    """Return what a product may hold, in words, by key; raises BadDataFile on a faulty file."""
    return {each.key: each.words for each in _read().substances if each.words}


def refusal(name: str, holds: Iterable[str], held: Mapping[str, str]) -> str:
    """Say why something called `name` must not go in where `held` is, each with how one knows; nothing where it may."""
    contents = tuple(holds)
    found = ((known_from, why) for each, known_from in held.items() for why in never_meets(contents, [each]))
    return next((f"{name} must not meet {known_from}: {why}." for known_from, why in found), "")


def never_meets(one: Iterable[str], other: Iterable[str]) -> tuple[str, ...]:
    """Return why two sets of contents must never meet; nothing where they may.

    >>> never_meets(("silver", "chromate"), ("azide",))
    ('silver azide explodes at a touch',)
    """
    found = {(never.one, never.other): never.why for never in _read().never}
    pairs = (found.get(pair) or found.get(pair[::-1]) for pair in product(one, tuple(other)))
    return tuple(dict.fromkeys(why for why in pairs if why))
