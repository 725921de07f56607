"""The events of a run: what a person tapped, in the order in which it happened."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from typing import Any, NamedTuple

DROP, BACK, TURN, END = "drop_added", "taken_back", "began_to_turn", "end_called"
STEP, TIMER, VOID, SKIP = "step_done", "timer_started", "voided", "blank_skipped"
SEEN, READ, STOP, CORRECTED = "seen", "reading_taken", "stopped", "corrected"
RUN_EVENTS = (DROP, BACK, TURN, END, STEP, TIMER, VOID, SKIP, SEEN, READ, STOP)
# Of the whole determination, not of a run.
ANSWERED, CLOSED, REOPENED, SURE, BOTTLE = "answered", "closed", "reopened", "sure", "bottle_changed"


class Event(NamedTuple):
    """One thing that happened.

    `id` a UUID as text and `at` a moment, both made in the browser; `seq` counts up and is higher than that of every
    event the browser had seen, so (seq, at, id) orders events of several devices. `device` names the browser.
    """

    id: str
    kind: str
    seq: int
    at: datetime
    data: dict[str, Any]
    device: str = ""


def live(events: Iterable[Event]) -> list[Event]:
    """Return the events that stand, in order: one that was taken back is as if it had never happened."""
    known = list(events)
    taken_back = {event.data.get("of") for event in known if event.kind == BACK}
    remaining = (event for event in known if event.kind != BACK and event.id not in taken_back)
    return sorted(remaining, key=lambda event: (event.seq, event.at, event.id))
