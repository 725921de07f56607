"""Where what is left of a test goes: streams that may stand together, and what must never meet."""

from __future__ import annotations

from functools import cache
from itertools import product
from pathlib import Path

from kessa.core.checked import Checked
from kessa.core.datafile import read_toml


class WasteStream(Checked):
    """One stream: the jar that is packed for it, what is in it, and what is written on it."""

    key: str
    name: str
    jar: str = ""
    holds: tuple[str, ...]
    label: str = ""


class Never(Checked):
    """Two things that must never meet, and why."""

    one: str
    other: str
    why: str


class _Waste(Checked):
    streams: tuple[WasteStream, ...]
    never: tuple[Never, ...]


@cache
def _read() -> _Waste:
    return read_toml(Path(__file__).with_suffix(".toml"), _Waste)


@cache
def waste_streams() -> dict[str, WasteStream]:
    """Return the streams by key; raises BadDataFile on a faulty file."""
    return {stream.key: stream for stream in _read().streams}


def never_meets(one: tuple[str, ...], other: tuple[str, ...]) -> tuple[str, ...]:
    """Return why two sets of contents must never meet; nothing where they may.

    >>> never_meets(("silver", "chromate"), ("azide",))
    ('silver azide explodes at a touch',)
    """
    found = {(never.one, never.other): never.why for never in _read().never}
    pairs = (found.get(pair) or found.get(pair[::-1]) for pair in product(one, other))
    return tuple(dict.fromkeys(why for why in pairs if why))
