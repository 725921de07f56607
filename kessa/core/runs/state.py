"""Where a run stands: derived from its events, never stored as truth."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, NamedTuple

from kessa.core.runs.events import Event, live
from kessa.core.runs.transitions import by_event, run_rules


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
        return any(IS[each](self) for each in run_rules().finished)

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
    for row in by_event().get(event.kind, ()):
        if all(HOLDS[each](state, event, most) for each in row.when):
            for each in row.do:
                DO[each](state, event)
            return


# What the conditions of the table mean: of the run alone, and of the event that comes to it, with the range's end.
IS: dict[str, Callable[[RunState], bool]] = {
    "ended": lambda state: state.endpoint is not None,
    "every part read": lambda state: bool(state.readings) and not state.missing,
    "stopped": lambda state: state.stopped,
    "voided": lambda state: state.voided,
    "skipped": lambda state: state.skipped,
}
HOLDS: dict[str, Callable[[RunState, Event, int], bool]] = {
    "not finished": lambda state, event, most: not state.finished,
    "below the range's end": lambda state, event, most: state.count < most,
    "something counted": lambda state, event, most: state.count > 0,
    "no turn yet": lambda state, event, most: state.first_change is None,
    "with an end": lambda state, event, most: bool(event.data.get("endpoint", True)),
    "not stopped": lambda state, event, most: not state.stopped,
    "not voided": lambda state, event, most: not state.voided,
    "something read": lambda state, event, most: bool(state.readings),
    "ended": lambda state, event, most: IS["ended"](state),
    "with a count": lambda state, event, most: "count" in event.data,
    "its part read": lambda state, event, most: event.data.get("part", "") in state.readings,
}


def _count_one_more(state: RunState, event: Event) -> None:
    state.count += 1


def _clear_the_clock(state: RunState, event: Event) -> None:
    state.clock = None


def _note_one_too_late(state: RunState, event: Event) -> None:
    state.late += 1


def _turn(state: RunState, event: Event) -> None:
    state.first_change = state.count


def _end(state: RunState, event: Event) -> None:
    state.endpoint, state.ended_by = event.data.get("endpoint", True), event.id


def _turn_as_early(state: RunState, event: Event) -> None:
    """Who could not tell the colours may have called the end so many units late."""
    unsure = event.data.get("unsure")
    if state.endpoint and unsure:
        state.first_change = min(state.first_change or state.count, max(state.count - unsure, 1))


def _skip(state: RunState, event: Event) -> None:
    state.skipped = True


def _void(state: RunState, event: Event) -> None:
    state.voided = True


def _tick_the_step(state: RunState, event: Event) -> None:
    state.steps[event.data["step"]] = event.at


def _start_the_clock(state: RunState, event: Event) -> None:
    clock = Clock(event.at, event.data["seconds"])
    if "step" in event.data:
        state.clocks[event.data["step"]] = clock
    else:
        state.clock = clock


def _read(state: RunState, event: Event) -> None:
    """Keep a reading as of when the eye took it; read again, the last one counts."""
    part = event.data["part"]
    at = state.seen.pop(part, event.at)
    state.readings[part] = Reading(min(at, event.at), event.data["reading"], event.id)
    state.missing = tuple(key for key in state.missing if key != part)


def _see(state: RunState, event: Event) -> None:
    state.seen[event.data["part"]] = event.at


def _stop(state: RunState, event: Event) -> None:
    state.stopped = True


def _correct_the_count(state: RunState, event: Event) -> None:
    right = event.data
    state.count, state.first_change = right["count"], right.get("first_change")
    state.endpoint, state.corrected = right.get("endpoint", True), True


def _correct_the_reading(state: RunState, event: Event) -> None:
    """Correct what was read of a part: the moment of reading stays."""
    before = state.readings[event.data["part"]]
    state.readings[event.data["part"]] = Reading(before.at, event.data["reading"], before.of)
    state.corrected = True


DO: dict[str, Callable[[RunState, Event], None]] = {
    "count one more": _count_one_more,
    "clear the clock": _clear_the_clock,
    "note one too late": _note_one_too_late,
    "turn at this count": _turn,
    "end": _end,
    "turn as early as an unsure eye may have missed": _turn_as_early,
    "skip": _skip,
    "void": _void,
    "tick the step": _tick_the_step,
    "start the clock": _start_the_clock,
    "note when it was seen": _see,
    "read the part": _read,
    "stop": _stop,
    "correct the count": _correct_the_count,
    "correct the reading": _correct_the_reading,
}
