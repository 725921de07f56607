"""How far a run is: which of its method's steps are still to be done; by the same rules as the page."""

from __future__ import annotations

from typing import NamedTuple

from kessa.core.methods.schema import Method
from kessa.core.runs.state import RunState
from kessa.core.runs.timing import Answers


class Run(NamedTuple):
    """A run as it is made: its state, whether it is a blank, and of two counts the state of the first."""

    state: RunState
    blank: bool = False
    first: RunState | None = None


def steps_left(method: Method, run: Run, answers: Answers) -> list[int]:
    """Return the numbers (from 0) of the steps still to be done, the present one first.

    What was counted or read stands, whether or not every step before it was ticked. Steps that hang on an answer not
    given yet are not among them; of a blank nothing is asked.
    """
    if run.state.voided or run.state.skipped:
        return []
    applying = [number for number in range(len(method.steps)) if _applies(method, number, run, answers)]
    done = {number for number in applying if _done(method, number, run, answers)}
    input_kind = "count" if method.counted else "read"
    inputs = [number for number in applying if method.steps[number].kind == input_kind]
    passed = max((number for number in inputs if number in done or run.state.stopped), default=-1)
    return [number for number in applying if number > passed and number not in done]


def _applies(method: Method, number: int, run: Run, answers: Answers) -> bool:
    step = method.steps[number]
    return method.applies(step, answers) and not (run.blank and (step.ask or step.when))


def _done(method: Method, number: int, run: Run, answers: Answers) -> bool:
    step = method.steps[number]
    if step.kind == "count":
        return _counted(method, number, run)
    if step.kind == "read":
        return run.state.stopped or all(key in run.state.readings for key in method.read_at(number))
    if step.ask:
        return step.ask.key in answers
    return number in run.state.steps or (run.first is not None and number in run.first.steps)


def _counted(method: Method, number: int, run: Run) -> bool:
    if run.first is None:
        return run.state.endpoint is not None
    is_first = number == next(n for n, step in enumerate(method.steps) if step.kind == "count")
    if method.staged and (is_first or run.first.endpoint is False):
        return run.first.endpoint is not None
    return run.first.endpoint is not None and run.state.endpoint is not None
