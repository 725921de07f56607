"""What each event does to a run, as a table that the core and the page both read: see transitions.toml."""

from __future__ import annotations

from collections import defaultdict
from functools import cache
from pathlib import Path

from kessa.core.checked import Checked
from kessa.core.datafile import data_file, read_toml


class Transition(Checked):
    """What an event does to a run: `do`, in order, where all of `when` holds."""

    event: str
    when: tuple[str, ...] = ()
    do: tuple[str, ...]


class Transitions(Checked):
    """Every transition, and by what a run is finished."""

    finished: tuple[str, ...]
    transitions: tuple[Transition, ...]


@data_file
def run_rules() -> Transitions:
    """Return the table; raises BadDataFile."""
    return read_toml(Path(__file__).with_suffix(".toml"), Transitions)


@cache
def by_event() -> dict[str, tuple[Transition, ...]]:
    """Return the transitions of each event, in their order."""
    found: dict[str, list[Transition]] = defaultdict(list)
    for each in run_rules().transitions:
        found[each.event].append(each)
    return {event: tuple(each) for event, each in found.items()}
