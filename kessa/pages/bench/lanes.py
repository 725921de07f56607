"""The lanes: how the tests of a visit lie in time, what has been and what is planned, anew from the taps each time."""

import math
from datetime import datetime, timedelta
from operator import itemgetter
from typing import NamedTuple

from kessa.core.errors import CannotCompute
from kessa.core.methods.schema import Method
from kessa.core.planning.left_to_do import Course, held_by, left_of
from kessa.core.planning.several_tests import PlannedTest, TestPlan, one_after_another, plan_tests
from kessa.core.runs.events import TIMER
from kessa.core.runs.progress import Run, steps_left
from kessa.core.runs.state import RunState
from kessa.pages.bench.board import OnBoard
from kessa.record.determinations.models import Determination
from kessa.record.determinations.state import Bench, bench_of
from kessa.record.determinations.usual_times import usual_times
from kessa.record.taps.selectors import counted
from kessa.record.testing.selectors import latest_taps

# A page waits so long for the shortest plan; the best found counts after that.
_SEARCH_SECONDS = 2.0
# Who does nothing for longer is elsewhere.
_ATTENDED = timedelta(minutes=5)
_NO_PLAN = TestPlan(0.0, {}, None, 0.0, ())


class Stretch(NamedTuple):
    """Minutes from when the first test began: `kind` is "done", "waited", "to-do" or "waits"."""

    begins: float
    ends: float
    kind: str


class Lane(NamedTuple):
    """A test in time; `next` is when it is attended next, in minutes from now, None where nothing is left."""

    stream: str
    name: str
    stretches: list[Stretch]
    next: float | None


class Lanes(NamedTuple):
    """The tests in time, in minutes; `late` are the names of those that will miss a time."""

    lanes: list[Lane]
    now: float
    total: float
    one_by_one: float
    gap: float
    late: list[str]

    @property
    def order(self) -> list[str]:
        """The tests still to be gone on with, in the order in which they are attended next."""
        return [lane.stream for lane in sorted(self.lanes, key=lambda lane: lane.next or 0.0) if lane.next is not None]


def lanes_of(team_id: int, tests: list[OnBoard], now: datetime) -> Lanes:
    """Plan what is left of the tests, and say what has been."""
    found = [_Test(team_id, test, test.determination, now) for test in tests]
    left = _begun_with(found)
    plan = _plan(left)
    zero = min((tap.at for test in found for tap in test.taps), default=now)
    passed = _minutes(now, zero)
    attended = sorted((tap.at, test.stream) for test in found for tap in test.taps)
    lanes = []
    for test in found:
        stretches = [*_past(test, attended, zero, now), *_coming(test.left, plan, passed)]
        starts = plan.starts.get(test.stream)
        lanes.append(Lane(test.stream, test.name, stretches, starts[0] if starts else None))
    total = max((stretch.ends for lane in lanes for stretch in lane.stretches), default=0.0)
    whole = one_after_another([test.whole for test in found if test.whole]) or 0.0
    late = [test.name for test in found if test.stream in plan.late]
    return Lanes(lanes, passed, total, whole, plan.gap, late)


class _Test:
    """A test with its taps, what is left of it, and what it takes as a whole."""

    def __init__(self, team_id: int, test: OnBoard, determination: Determination, now: datetime) -> None:
        self.stream, self.name = str(determination.pk), test.name
        self.taps = [] if test.begin else counted(team_id, determination.pk)
        method = determination.method
        usual = usual_times(method, latest_taps(team=team_id, method=method.key))
        by = max(_minutes(test.until, now), 0.0) if test.until else None
        bench = bench_of(determination, self.taps)
        course = Course(method, _runs_left(determination, bench, test.runs), bench.answers, usual)
        uses = held_by(method)
        self.left = left_of(self.stream, course, now, begun=bool(self.taps), start_by=by, uses=uses)
        whole = course._replace(runs=_runs_of(determination, test.runs), answers={})
        self.whole = left_of(self.stream, whole, now, begun=False)


def _is_pair(method: Method) -> bool:
    return method.staged or (method.counted and not method.main.numbers.has_blank)


def _fresh(method: Method) -> Run:
    return Run(RunState(missing=method.read_keys), first=RunState() if _is_pair(method) else None)


def _runs_of(determination: Determination, wanted: int) -> tuple[Run, ...]:
    """Return the runs of a test that has not begun."""
    blank = [Run(RunState(), blank=True)] if determination.asks_blank else []
    runs = wanted if determination.method.agreement else 1
    return (*blank, *([_fresh(determination.method)] * runs))


def _runs_left(determination: Determination, bench: Bench, wanted: int) -> tuple[Run, ...]:
    """Return the runs still to be made or gone on with, in order."""
    if determination.closed_at:
        return ()
    method, to_come = determination.method, list(_runs_of(determination, wanted))
    blanks = [Run(state, blank=True) for _, state in sorted(bench.blanks.items())]
    numbers = sorted({*bench.samples, *bench.firsts})
    fresh = _fresh(method)
    samples = [
        Run(bench.samples.get(n, fresh.state), first=bench.firsts.get(n, RunState()) if fresh.first else None)
        for n in numbers
    ]
    if samples or any(run.state.finished and not run.state.voided for run in blanks):
        to_come = [run for run in to_come if not run.blank]
    going_on = [run for run in [*blanks, *samples][-1:] if steps_left(method, run, bench.answers)]
    counting = sum(run.state.counts and (run.first is None or run.first.counts) for run in samples)
    states = {outcome.state for outcome in bench.outcomes.values()}
    done = counting + sum(not run.blank and not run.state.finished for run in going_on)
    of_sample = sum(not run.blank for run in to_come)
    more = 0 if "over range" in states else max(of_sample - done, int("run again" in states and not going_on))
    blank_to_come = [run for run in to_come if run.blank and not any(each.blank for each in going_on)]
    return (*going_on, *blank_to_come, *([fresh] * more))


def _begun_with(found: list[_Test]) -> list[PlannedTest]:
    """Return what is left of the tests, with the one that comes first now bound to.

    That is the one in hand; before any has begun the one whose sample keeps least, as oxygen's: a minute more in all is
    no loss.
    """
    left = [test.left for test in found if test.left]
    begun = [(test.taps[-1].at, test.left) for test in found if test.taps and test.left]
    in_hand = max(begun, key=itemgetter(0))[1] if begun else None
    first = in_hand or min(left, key=_begins_by, default=None)
    return [test._replace(start_by=0.0) if test is first and not test.ready else test for test in left]


def _begins_by(test: PlannedTest) -> float:
    return math.inf if test.start_by is None else test.start_by


def _plan(left: list[PlannedTest]) -> TestPlan:
    if not left:
        return _NO_PLAN
    try:
        return plan_tests(left, seconds=_SEARCH_SECONDS, strict=False)
    except CannotCompute:
        # More than can be planned: they are done in the order in which they stand.
        return _NO_PLAN


def _coming(test: PlannedTest | None, plan: TestPlan, passed: float) -> list[Stretch]:
    starts = [passed + start for start in plan.starts.get(test.id, ())] if test else []
    if not test or not starts:
        return []
    ends = [start + step.hands for start, step in zip(starts, test.steps, strict=True)]
    stretches = [Stretch(passed, starts[0], "waits")] if test.ready else []
    stretches += [Stretch(start, end, "to-do") for start, end in zip(starts, ends, strict=True)]
    waits = zip(test.steps, ends, starts[1:], strict=False)
    return stretches + [Stretch(end, following, "waits") for step, end, following in waits if step.wait]


def _past(test: _Test, attended: list[tuple[datetime, str]], zero: datetime, now: datetime) -> list[Stretch]:
    """Return when a test was attended, from the tap before, whosever it was, to its own; and when its clocks ran."""
    stretches, before = [], zero
    for at, stream in attended:
        if stream == test.stream:
            stretches.append(Stretch(_minutes(max(before, at - _ATTENDED), zero), _minutes(at, zero), "done"))
        before = at
    for clock in (tap for tap in test.taps if tap.kind == TIMER and "step" in tap.data):
        over = min((tap.at for tap in test.taps if tap.at > clock.at), default=now)
        stretches.append(Stretch(_minutes(clock.at, zero), _minutes(over, zero), "waited"))
    return stretches


def _minutes(at: datetime, zero: datetime) -> float:
    return (at - zero).total_seconds() / 60
