"""What is left of a test, in minutes, as the plan of several takes it."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from typing import NamedTuple

from kessa.core.job.supplies import supplies
from kessa.core.methods.schema import Method
from kessa.core.planning.several_tests import PlannedStep, PlannedTest
from kessa.core.runs.progress import Run, steps_left
from kessa.core.runs.timing import Answers, clock_seconds, reading_window

# How long a step usually keeps the hands busy (s), where its method does not say; a unit counted and looked at.
_USUAL_S = {"do": 30.0, "ask": 15.0, "read": 40.0}
_UNIT_S = 5.0
# After an exact clock one goes on at once: so late still is at once (s).
_AT_ONCE_S = 30.0
# What is waited for longer than this (s) is not waited for here: one comes back.
_STAYS_S = 7200.0


class Course(NamedTuple):
    """A test as far as it is: the runs that are being made or are to be made, in order, and what was answered."""

    method: Method
    runs: tuple[Run, ...]
    answers: Answers
    usual: dict[int, float]


class _Piece(NamedTuple):
    """A stretch without a clock in it, seconds; then its clock, and within how long after it one goes on."""

    hands: float
    wait: float = 0.0
    slack: float | None = None


def usual_seconds(method: Method, number: int, usual: dict[int, float] | None = None) -> float:
    """Return how long a step usually keeps the hands busy (s): by the team's own past where known, else by its kind.

    A clock during which one shakes or holds is part of it.
    """
    step = method.steps[number]
    held = float(step.wait.seconds or 0) if step.wait and step.wait.attended else 0.0
    if usual and number in usual:
        return usual[number] + held
    if step.takes_s is not None:
        return step.takes_s + held
    if step.kind == "count":
        return method.units_a_run / (2 if method.staged else 1) * max(_UNIT_S, step.between_s or 0) + (
            step.settle_s or 0
        )
    return _USUAL_S[step.kind] + held


def left_of(
    id: str,
    course: Course,
    now: datetime,
    *,
    begun: bool,
    start_by: float | None = None,
    uses: frozenset[str] = frozenset(),
) -> PlannedTest | None:
    """Return what is left of a test at a moment; None where nothing is left to be done now.

    `start_by` (minutes from now) counts for a test that has not begun.
    """
    pieces: list[_Piece] = []
    ready, by = 0.0, None
    for number, run in enumerate(course.runs):
        left = steps_left(course.method, run, course.answers)
        if number == 0 and left:
            ready, by = _waited_for(course, left, run, now)
            left = left[1:] if left[0] in run.state.clocks else left
        pieces += _pieces(course.method, left, run, course.usual)
    if ready > _STAYS_S:
        return None
    steps = tuple(
        PlannedStep(piece.hands / 60, piece.wait / 60, None if piece.slack is None else piece.slack / 60)
        for piece in _here(pieces)
    )
    return PlannedTest(id, steps, start_by if by is None else by / 60, uses, ready / 60, begun) if steps else None


def _waited_for(course: Course, left: list[int], run: Run, now: datetime) -> tuple[float, float | None]:
    """Return in how many seconds one goes on by the clock that runs, and by when at the latest; None for any time."""
    method, step = course.method, course.method.steps[left[0]]
    if clock := run.state.clocks.get(left[0]):
        passed = (now - clock.at).total_seconds()
        length, slack = _clock(method, left[0], left[1:], run)
        return max(length - passed, 0.0), None if slack is None else max(length + slack - passed, 0.0)
    unread = [part.key for part in method.parts if step.kind == "read" and part.key in run.state.missing]
    window = reading_window(method, unread[0], run.state, course.answers) if unread else None
    if window is None or window.opens is None:
        return 0.0, None
    closes = None if window.closes is None else max((window.closes - now).total_seconds(), 0.0)
    return max((window.opens - now).total_seconds(), 0.0), closes


def _here(pieces: list[_Piece]) -> list[_Piece]:
    """Return the pieces up to a wait that nobody stays for; an empty last one is none."""
    for number, piece in enumerate(pieces):
        if piece.wait > _STAYS_S:
            pieces = [*pieces[:number], piece._replace(wait=0.0, slack=None)]
            break
    return [piece for piece in pieces if piece.hands or piece.wait]


def _pieces(method: Method, left: list[int], run: Run, usual: dict[int, float]) -> Iterable[_Piece]:
    hands = 0.0
    for place, number in enumerate(left):
        hands += usual_seconds(method, number, usual)
        wait = method.steps[number].wait
        if wait and not wait.attended:
            yield _Piece(hands, *_clock(method, number, left[place + 1 :], run))
            hands = 0.0
    yield _Piece(hands)


def _clock(method: Method, number: int, following: list[int], run: Run) -> tuple[float, float | None]:
    """Return how long a step's clock runs (s), and within how long after it one goes on; None for any time."""
    wait = method.steps[number].wait
    assert wait
    computed = wait.computed
    typical = computed.base_s + computed.per_s if computed else 0.0
    seconds = float(clock_seconds(method, number, run.state) or typical)
    read = method.read_at(following[0]) if following else ()
    windows = [part.read_s for part in method.parts if part.read_s and part.key in read]
    if windows:
        opens, closes = min(window[0] for window in windows), min(window[1] for window in windows)
        return float(opens), float(closes - opens)
    return seconds, (wait.within_s or _AT_ONCE_S) if wait.rule == "exact" else None


def held_by(method: Method) -> frozenset[str]:
    """Return what a test has to itself from its first step to its last: its vessel, and its instrument."""
    vessels = {key for key in method.gear if supplies()[key].held}
    return frozenset(vessels | ({method.instrument} if method.instrument else set()))
