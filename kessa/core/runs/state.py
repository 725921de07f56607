"""Where a run stands: derived from its events, never stored as truth."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, NamedTuple

from kessa.core.runs.events import CORRECTED, DROP, END, READ, SEEN, SKIP, STEP, STOP, TIMER, TURN, VOID, Event, live


class Clock(NamedTuple):
    """A clock that was started: when, and for how many seconds as the page said."""

    at: datetime
    seconds: int


class Reading(NamedTuple):
    """What was read, when, and by which event."""

    at: datetime
    raw: dict[str, Any]
    of: str


@dataclass
class RunState:
    """What the events of one run amount to.

    `endpoint` is None while counting, True when the end was called, False when the maximum was reached without one.
    `steps` are those that were done, and when. `clock` is the one for a colour to last, `clocks` those of steps, by
    step. `readings` are by part; `missing` are the parts not read yet, `seen` when the eye took those whose number was
    not typed yet. `late` counts taps that came after the end or beyond the maximum: kept, but not counted. `ended_by`
    is the event that called the end, `corrected` whether a later act put the count or a reading right.
    """

    count: int = 0
    first_change: int | None = None
    endpoint: bool | None = None
    voided: bool = False
    skipped: bool = False
    stopped: bool = False
    steps: dict[int, datetime] = field(default_factory=dict)
    clock: Clock | None = None
    clocks: dict[int, Clock] = field(default_factory=dict)
    readings: dict[str, Reading] = field(default_factory=dict)
    missing: tuple[str, ...] = ()
    seen: dict[str, datetime] = field(default_factory=dict)
    late: int = 0
    ended_by: str | None = None
    corrected: bool = False

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
    An end before the first unit is one at none; a turn there does not count, nor does stopping before anything was
    read. A correction replaces what was counted or read.
    """
    state = RunState(missing=parts)
    for event in live(events):
        _apply(state, event, most)
    return state


def _apply(state: RunState, event: Event, most: int) -> None:
    if event.kind == DROP:
        _add_unit(state, most)
    elif event.kind in _UNTIL_FINISHED:
        if not state.finished:
            _UNTIL_FINISHED[event.kind](state, event)
    elif event.kind in _ALWAYS:
        _ALWAYS[event.kind](state, event)


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
    endpoint = event.data.get("endpoint", True)
    # It may have turned before the first unit; that there is no end, nobody can know so soon.
    if state.count or endpoint:
        state.endpoint, state.ended_by = endpoint, event.id
        state.clock = None
        if endpoint and state.count and (unsure := event.data.get("unsure")):
            # Who could not tell the colours may have called it so late.
            state.first_change = min(state.first_change or state.count, max(state.count - unsure, 1))


def _skip(state: RunState, event: Event) -> None:
    state.skipped = True


def _void(state: RunState, event: Event) -> None:
    state.voided = True
    state.clock = None


def _step(state: RunState, event: Event) -> None:
    state.steps[event.data["step"]] = event.at


def _start_clock(state: RunState, event: Event) -> None:
    clock = Clock(event.at, event.data["seconds"])
    if "step" in event.data:
        state.clocks[event.data["step"]] = clock
    else:
        state.clock = clock


def _read(state: RunState, event: Event) -> None:
    """Keep a reading as of when the eye took it; read again, the last one counts."""
    if state.stopped or state.voided:
        return
    part = event.data["part"]
    at = state.seen.pop(part, event.at)
    state.readings[part] = Reading(min(at, event.at), event.data["reading"], event.id)
    state.missing = tuple(key for key in state.missing if key != part)


def _see(state: RunState, event: Event) -> None:
    state.seen[event.data["part"]] = event.at


def _stop(state: RunState, event: Event) -> None:
    if state.readings:
        state.stopped = True


def _correct(state: RunState, event: Event) -> None:
    """Put right what was counted, or what was read of a part: the moment of reading stays."""
    right = event.data
    if "count" in right and state.endpoint is not None:
        state.count, state.first_change = right["count"], right.get("first_change")
        state.endpoint, state.corrected = right.get("endpoint", True), True
    elif (before := state.readings.get(right.get("part", ""))) is not None:
        state.readings[right["part"]] = Reading(before.at, right["reading"], before.of)
        state.corrected = True


_UNTIL_FINISHED = {TURN: _turn, END: _end, SKIP: _skip, TIMER: _start_clock, SEEN: _see}
_ALWAYS = {VOID: _void, STEP: _step, READ: _read, STOP: _stop, CORRECTED: _correct}
