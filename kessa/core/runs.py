"""A run as its stream of events: the state is derived, never stored as truth."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any, NamedTuple

DROP, BACK, TURN, END = "drop_added", "taken_back", "began_to_turn", "end_called"
STEP, TIMER, VOID, SKIP = "step_done", "timer_started", "voided", "blank_skipped"
READ, STOP = "reading_taken", "stopped"
RUN_EVENTS = (DROP, BACK, TURN, END, STEP, TIMER, VOID, SKIP, READ, STOP)


class Event(NamedTuple):
    """One thing that happened in a run.

    `id` a UUID as text and `at` a UTC time as ISO text with milliseconds, both made in the browser; `seq` counts up
    and is higher than that of every event the browser had seen, so (seq, at, id) orders events of several devices.
    """

    id: str
    kind: str
    seq: int
    at: str
    data: dict[str, Any]


class Clock(NamedTuple):
    """A clock that was started: when (ISO text) and for how many seconds."""

    at: str
    seconds: int


class Reading(NamedTuple):
    """What was read, and when (ISO text)."""

    at: str
    raw: dict[str, Any]


@dataclass
class RunState:
    """What the events of one run amount to.

    `endpoint` is None while counting, True when the end was called, False when the maximum was reached without one.
    `clock` is the one for a colour to last, `clocks` those of steps, by step. `readings` are by part; `missing` are the
    parts not read yet. `late` counts taps that came after the end or beyond the maximum: kept, but not counted.
    """

    count: int = 0
    first_change: int | None = None
    endpoint: bool | None = None
    voided: bool = False
    skipped: bool = False
    stopped: bool = False
    steps: set[int] = field(default_factory=set)
    clock: Clock | None = None
    clocks: dict[int, Clock] = field(default_factory=dict)
    readings: dict[str, Reading] = field(default_factory=dict)
    missing: tuple[str, ...] = ()
    late: int = 0

    @property
    def finished(self) -> bool:
        """Whether nothing more is counted or read."""
        read = bool(self.readings) and not self.missing
        return self.endpoint is not None or read or self.stopped or self.voided or self.skipped

    @property
    def counts(self) -> bool:
        """Whether the run gives a reading."""
        return (self.endpoint is not None or (self.finished and bool(self.readings))) and not self.voided

    def counted(self) -> dict[str, Any]:
        """Return the count as `determine` takes it."""
        return {"count": self.count, "endpoint": self.endpoint, "first_change": self.first_change}


def derive(events: Iterable[Event], most: int, parts: tuple[str, ...] = ()) -> RunState:
    """Derive a run's state from its events in any order.

    `most` is the maximum count of the range where units are counted, `parts` are the keys of what is read where not.
    A taken-back event is as if it had never happened. An end or a turn before the first drop does not count, nor does
    stopping before anything was read.
    """
    known = list(events)
    taken_back = {event.data.get("of") for event in known if event.kind == BACK}
    state = RunState(missing=parts)
    for event in sorted(known, key=lambda event: (event.seq, event.at, event.id)):
        if event.kind != BACK and event.id not in taken_back:
            _apply(state, event, most)
    return state


def _apply(state: RunState, event: Event, most: int) -> None:
    if event.kind == DROP:
        _add_unit(state, most)
    elif event.kind in _UNTIL_FINISHED:
        if not state.finished:
            _UNTIL_FINISHED[event.kind](state, event)
    elif event.kind == VOID:
        state.voided = True
        state.clock = None
    elif event.kind == STEP:
        state.steps.add(event.data["step"])
    elif event.kind == READ and not (state.stopped or state.voided):
        _read(state, event)
    elif event.kind == STOP and state.readings:
        state.stopped = True


def _add_unit(state: RunState, most: int) -> None:
    if state.finished or state.count >= most:
        state.late += 1
    else:
        state.count += 1
        state.clock = None


def _turn(state: RunState, event: Event) -> None:
    if state.count and state.first_change is None:
        state.first_change = state.count


def _end(state: RunState, event: Event) -> None:
    if state.count:
        state.endpoint = event.data.get("endpoint", True)
        state.clock = None


def _skip(state: RunState, event: Event) -> None:
    state.skipped = True


def _start_clock(state: RunState, event: Event) -> None:
    clock = Clock(event.at, event.data["seconds"])
    if "step" in event.data:
        state.clocks[event.data["step"]] = clock
    else:
        state.clock = clock


def _read(state: RunState, event: Event) -> None:
    """Keep a reading; read again, the last one counts."""
    part = event.data["part"]
    state.readings[part] = Reading(event.at, event.data["reading"])
    state.missing = tuple(key for key in state.missing if key != part)


_UNTIL_FINISHED = {TURN: _turn, END: _end, SKIP: _skip, TIMER: _start_clock}
