"""When a part may be read, and what the course of the runs says about a result."""

from __future__ import annotations

import math
from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any, NamedTuple

from kessa.core.methods.schema import Method
from kessa.core.methods.steps import UNKNOWN, Wait
from kessa.core.runs.state import Reading, RunState

Answers = Mapping[str, Any]
# A finger is no clock.
_FORGIVEN_S = 1.0


class ReadingWindow(NamedTuple):
    """From when to when a part may be read; `opens` None where the clock it hangs on was not started."""

    opens: datetime | None
    closes: datetime | None = None


def clock_seconds(method: Method, number: int, state: RunState) -> int | None:
    """Return how long the clock of a step runs, in seconds: as the method says, or computed from what was read before.

    None where the step has no clock, or where the reading it follows from was not taken.
    """
    wait = method.steps[number].wait
    if wait is None or wait.computed is None:
        return wait.seconds if wait else None
    before = state.readings.get(wait.computed.part)
    display = before.raw.get("display") if before else None
    if display is None:
        return None
    seconds: float = wait.computed.base_s + wait.computed.per_s * display
    return max(1, math.ceil(seconds))


def reading_window(method: Method, key: str, state: RunState, answers: Answers) -> ReadingWindow | None:
    """Return when a part may be read by the clock of the last step before it that applies; None where none binds it."""
    part = method.part(key)
    reads = method.step_reading(key)
    waits = _waits(method, reads, answers)
    if not waits:
        return None
    number, wait = waits[-1]
    clock = state.clocks.get(number)
    if clock is None:
        return ReadingWindow(None) if part.read_s is not None or wait.rule == "exact" else None
    if part.read_s:
        return ReadingWindow(*(clock.at + timedelta(seconds=seconds) for seconds in part.read_s))
    opens = clock.at + timedelta(seconds=clock_seconds(method, number, state) or clock.seconds)
    return ReadingWindow(opens, opens + timedelta(seconds=wait.within_s) if wait.within_s else None)


def _waits(method: Method, before: int, answers: Answers) -> list[tuple[int, Wait]]:
    steps = enumerate(method.steps[:before])
    return [(number, step.wait) for number, step in steps if step.wait and method.applies(step, answers)]


def _waited(method: Method, key: str, state: RunState, answers: Answers) -> list[str]:
    """How the waits before a count or a reading were kept, but for the clock by which it is read itself."""
    if method.counted:
        waits = _waits(method, max(n for n, step in enumerate(method.steps) if step.kind == "count"), answers)
    else:
        waits = _waits(method, method.step_reading(key), answers)[:-1] if key in method.read_keys else []
    flags = []
    for number, wait in waits:
        clock, done = state.clocks.get(number), state.steps.get(number)
        if clock is None or done is None:
            continue
        seconds = clock_seconds(method, number, state) or clock.seconds
        over = (done - clock.at).total_seconds() - seconds
        allowed = wait.runs_over_after(seconds)
        flags += ["wait-cut-short"] if over < -_FORGIVEN_S else []
        flags += ["wait-too-long"] if allowed is not None and over > allowed else []
    return flags


def timing(method: Method, state: RunState, answers: Answers) -> dict[str, str]:
    """Return by part how a reading missed its time: "read-early", "read-late" or "not-timed"."""
    missed = {}
    for key, reading in state.readings.items():
        window = reading_window(method, key, state, answers)
        if window is None:
            continue
        if window.opens is None:
            missed[key] = "not-timed"
        elif reading.at < window.opens:
            missed[key] = "read-early"
        elif window.closes and reading.at > window.closes:
            missed[key] = "read-late"
    return missed


def run_flags(method: Method, key: str, runs: Mapping[int, RunState], answers: Answers) -> tuple[str, ...]:
    """Return what the course of the runs and the answers given on the way say about the result of a part.

    A stage or pad that was read late marks its own part alone.
    """
    flags = ["late-taps"] if any(state.late for state in runs.values()) else []
    for state in runs.values():
        if state.counts:
            flags += filter(None, [timing(method, state, answers).get(key)])
            flags += _waited(method, key, state, answers)
            flags += _read_warm(method, state.readings.get(key))
            flags += ["part-missing"] if state.stopped and state.missing else []
            flags += ["corrected"] if state.corrected else []
    return tuple(dict.fromkeys([*flags, *filter(None, _asked(method, answers))]))


def _read_warm(method: Method, reading: Reading | None) -> list[str]:
    """How the temperature that was read with a part marks its result, where the method has a window for it."""
    window, warm = method.temperature_c, reading and reading.raw.get("temperature_c")
    if window is None or not isinstance(warm, int | float):
        return []
    return [] if window[0] <= warm <= window[1] else ["temperature-outside"]


def _asked(method: Method, answers: Answers) -> list[str | None]:
    """How the answers mark the result, and what was asked for and never answered.

    A number outside is not marked where a step of its own sets it right: what it is then is asked again.
    """
    marks = []
    for step in method.steps:
        if step.ask and method.applies(step, answers):
            given = answers.get(step.ask.key, UNKNOWN if step.ask.unknown else None)
            side = {step.ask.key: step.ask.side(given)}
            set_right = step.ask.unit and any(each.kind == "do" and each.when == side for each in method.steps)
            marks.append(None if set_right else step.ask.flag_of(given))
    return marks
