"""What each event does to a run, as a table that the core and the page both read: see transitions.toml."""

from __future__ import annotations

import json
from collections import defaultdict
from pathlib import Path

from kessa.core.checked import Checked
from kessa.core.datafile import data_file, read_toml

_HEAD = "// Written by `manage.py write_page_rules` from kessa/core/runs/transitions.toml; a test holds it to that."


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


@data_file
def by_event() -> dict[str, tuple[Transition, ...]]:
    """Return the transitions of each event, in their order."""
    found: dict[str, list[Transition]] = defaultdict(list)
    for each in run_rules().transitions:
        found[each.event].append(each)
    return {event: tuple(each) for event, each in found.items()}


def script() -> str:
    """Return the table as the page reads it, a script of its own with a line for each row."""
    rows = ",\n".join(
        f"    {event}: {json.dumps([{'when': each.when, 'do': each.do} for each in found])}"
        for event, found in by_event().items()
    )
    finished = json.dumps(run_rules().finished)
    return f"{_HEAD}\n\nexport const RULES = {{\n  finished: {finished},\n  transitions: {{\n{rows},\n  }},\n}};\n"
