"""A run as its stream of events: the state is derived, never stored as truth."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any, NamedTuple

DROP, BACK, TURN, END = "drop_added", "taken_back", "began_to_turn", "end_called"
STEP, TIMER, VOID, SKIP = "step_done", "timer_started", "voided", "blank_skipped"
RUN_EVENTS = (DROP, BACK, TURN, END, STEP, TIMER, VOID, SKIP)


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


@dataclass
class RunState:
    """What the events of one run amount to.

    `endpoint` is None while counting, True when the end was called, False when the maximum was reached without one.
    `late` counts taps that came after the end or beyond the maximum: kept, but not counted.
    """

    count: int = 0
    first_change: int | None = None
    endpoint: bool | None = None
    voided: bool = False
    skipped: bool = False
    steps: set[int] = field(default_factory=set)
    clock: Clock | None = None
    late: int = 0

    @property
    def finished(self) -> bool:
        """Whether nothing more is counted."""
        return self.endpoint is not None or self.voided or self.skipped

    @property
    def counts(self) -> bool:
        """Whether the run gives a reading."""
        return self.endpoint is not None and not self.voided

    def reading(self) -> dict[str, Any]:
        """Return the run as `determine` takes it."""
        return {"count": self.count, "endpoint": self.endpoint, "first_change": self.first_change}


def derive(events: Iterable[Event], most: int) -> RunState:
    """Derive a run's state from its events in any order; `most` is the maximum count of the range.

    A taken-back event is as if it had never happened. An end or a turn before the first drop does not count.
    """
    known = list(events)
    taken_back = {event.data.get("of") for event in known if event.kind == BACK}
    state = RunState()
    for event in sorted(known, key=lambda event: (event.seq, event.at, event.id)):
        if event.kind != BACK and event.id not in taken_back:
            _apply(state, event, most)
    return state


def _apply(state: RunState, event: Event, most: int) -> None:
    if event.kind == DROP:
        if state.finished or state.count >= most:
            state.late += 1
        else:
            state.count += 1
            state.clock = None
    elif event.kind == TURN and not state.finished and state.count and state.first_change is None:
        state.first_change = state.count
    elif event.kind == END and not state.finished and state.count:
        state.endpoint = event.data.get("endpoint", True)
        state.clock = None
    elif event.kind == VOID:
        state.voided = True
        state.clock = None
    elif event.kind == SKIP and not state.finished:
        state.skipped = True
    elif event.kind == STEP:
        state.steps.add(event.data["step"])
    elif event.kind == TIMER and not state.finished:
        state.clock = Clock(event.at, event.data["seconds"])
