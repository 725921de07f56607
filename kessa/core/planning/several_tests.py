"""Several tests at once: in which order one person does their steps, so that all are done soonest.

A step is attended (`hands`), then its test waits while others are attended: one machine, time lags between the steps of
a job, and shared resources, solved to the proven optimum by OR-tools CP-SAT, which is loaded only here.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from fractions import Fraction
from itertools import pairwise
from typing import TYPE_CHECKING, Any, NamedTuple

from kessa.core.errors import CannotCompute, checked_number

if TYPE_CHECKING:
    from ortools.sat.python import cp_model

MOST_TESTS, MOST_STEPS = 60, 60
_MOST_MINUTES = 100_000.0
# Minutes are planned in whole parts of a minute; where no such part fits them all, in so small ones.
_FINEST = 10**6
_FITS = 1e-9
# Windows that cannot all be met are missed by as little as can be, before anything else is looked at.
_LATE_WEIGHS = 50
_LOOK_ON_SECONDS = 0.5
_MOST_PRESSING = 8


class PlannedStep(NamedTuple):
    """Minutes attended, minutes until the test's next step, and how much later that may be (None: no end)."""

    hands: float
    wait: float = 0.0
    slack: float | None = None


class PlannedTest(NamedTuple):
    """A test that is to be done, or what is left of one.

    Its first step is done from `ready` on and no later than `start_by` (minutes from now); nothing that it `uses` is
    used by another test between its first and last step, or from now on where it is `begun`.
    """

    id: str
    steps: tuple[PlannedStep, ...]
    start_by: float | None = None
    uses: frozenset[str] = frozenset()
    ready: float = 0.0
    begun: bool = False


class TestPlan(NamedTuple):
    """When each step begins (minutes from now), when all is done, and when it would be if done one by one.

    `one_by_one` is None where no order meets every `start_by`; a shorter plan is shorter by at most `gap`, 0 where this
    one is proven; `late` are the tests that miss a window by which they should begin or go on.
    """

    total: float
    starts: dict[str, tuple[float, ...]]
    one_by_one: float | None
    gap: float
    late: tuple[str, ...]


def plan_tests(tests: Sequence[PlannedTest], *, seconds: float, strict: bool = True) -> TestPlan:
    """Return the shortest plan that `seconds` of search find; of those as short, one that begins with what presses.

    Raises CannotCompute on `tests` where there are none or too many, a number cannot be, or no order meets all windows;
    with `strict` off windows that cannot be met are missed by as little as can be.

    >>> iron = PlannedTest("iron", (PlannedStep(1, 3), PlannedStep(1)))
    >>> plan_tests([iron, PlannedTest("pH", (PlannedStep(2),))], seconds=5).total
    5.0
    """
    _check(tests)
    found = _solved(tests, seconds, lenient=False) or (None if strict else _solved(tests, seconds, lenient=True))
    if found is None:
        raise CannotCompute("No order of these steps meets every time by which a test must begin or go on.", "tests")
    return found


def _check(tests: Sequence[PlannedTest]) -> None:
    if not 1 <= len(tests) <= MOST_TESTS or any(not 1 <= len(test.steps) <= MOST_STEPS for test in tests):
        raise CannotCompute(f"A plan wants 1 to {MOST_TESTS} tests, each of 1 to {MOST_STEPS} steps.", "tests")
    if len({test.id for test in tests} - {""}) < len(tests):
        raise CannotCompute("Each test has an id of its own.", "tests")
    for minutes in _all_minutes(tests):
        if not 0 <= checked_number(minutes, "tests") <= _MOST_MINUTES:
            raise CannotCompute(f"Minutes run from 0 to {_MOST_MINUTES:,.0f}.", "tests")


def _all_minutes(tests: Sequence[PlannedTest]) -> list[float]:
    of_steps = [minutes for test in tests for step in test.steps for minutes in step]
    return [
        minutes for minutes in (*of_steps, *(m for t in tests for m in (t.ready, t.start_by))) if minutes is not None
    ]


def _parts_of_a_minute(tests: Sequence[PlannedTest]) -> int:
    """Return into how many parts a minute is cut, so that all are whole where that can be."""
    minutes = _all_minutes(tests)
    parts = [Fraction(each).limit_denominator(_FINEST) for each in minutes]
    common = math.lcm(*(part.denominator for part in parts))
    exact = all(abs(part - Fraction(each)) <= _FITS for part, each in zip(parts, minutes, strict=True))
    return common if exact and common <= _FINEST else _FINEST * 10


def one_after_another(tests: Sequence[PlannedTest]) -> float | None:
    """Return how many minutes they take if each is finished before the next begins; None where one begins too late.

    Where any order meets all times, that of (time by which it begins + its length) does: Jackson's rule (1955).
    """
    now, lengths = 0.0, {test.id: _length(test) for test in tests}
    for test in sorted(tests, key=lambda each: math.inf if each.start_by is None else each.start_by + lengths[each.id]):
        if test.start_by is not None and now > test.start_by + _FITS:
            return None
        now += lengths[test.id]
    return now


def _length(test: PlannedTest) -> float:
    """Minutes from the first step's beginning to the last one's end."""
    return math.fsum(step.hands + step.wait for step in test.steps[:-1]) + test.steps[-1].hands


class _Model:
    """The tests as CP-SAT's variables, in whole parts of a minute."""

    def __init__(self, tests: Sequence[PlannedTest], *, lenient: bool) -> None:
        from ortools.sat.python import cp_model

        self.tests, self.parts = tests, _parts_of_a_minute(tests)
        self.model = cp_model.CpModel()
        self.horizon = sum(self.whole(step.hands) + self.whole(step.wait) for test in tests for step in test.steps)
        self.horizon += sum(self.whole(test.ready) for test in tests)
        self.total = self.model.new_int_var(self._least(), self.horizon, "")
        self.late: list[cp_model.IntVar] = []
        self.starts: list[list[cp_model.IntVar]] = []
        hands: list[cp_model.IntervalVar] = []
        spans: dict[str, list[cp_model.IntervalVar]] = {}
        for test in tests:
            starts = [self.model.new_int_var(0, self.horizon, "") for _ in test.steps]
            self.starts.append(starts)
            lengths = [self.whole(step.hands) for step in test.steps]
            hands += map(self.model.new_fixed_size_interval_var, starts, lengths, [""] * len(starts))
            self._order(test, lenient=lenient)
            end = starts[-1] + lengths[-1]
            self.model.add(self.total >= end)
            held_from = 0 if test.begun else starts[0]
            for name in test.uses:
                size = self.model.new_int_var(0, self.horizon, "")
                spans.setdefault(name, []).append(self.model.new_interval_var(held_from, size, end, ""))
        self.model.add_no_overlap(hands)
        for of_one in spans.values():
            self.model.add_no_overlap(of_one)
        self.model.minimize(self.total + _LATE_WEIGHS * sum(self.late))

    def whole(self, minutes: float) -> int:
        return round(Fraction(minutes) * self.parts)

    def _least(self) -> int:
        """Return what no plan is shorter than: all that is attended, all that one thing is used, each test alone."""
        attended = sum(self.whole(step.hands) for test in self.tests for step in test.steps)
        used: dict[str, int] = {}
        alone = 0
        for test in self.tests:
            length = sum(self.whole(step.hands) + self.whole(step.wait) for step in test.steps[:-1])
            length += self.whole(test.steps[-1].hands)
            alone = max(alone, self.whole(test.ready) + length)
            for name in test.uses:
                used[name] = used.get(name, 0) + length
        return max(attended, alone, *used.values())

    def _order(self, test: PlannedTest, *, lenient: bool) -> None:
        starts = self.starts[-1]
        self.model.add(starts[0] >= self.whole(test.ready))
        if test.start_by is not None:
            self.model.add(starts[0] <= self.whole(test.start_by) + self._lateness(lenient))
        for step, this, following in zip(test.steps, starts, starts[1:], strict=False):
            soonest = this + self.whole(step.hands) + self.whole(step.wait)
            self.model.add(following >= soonest)
            if step.slack is not None:
                self.model.add(following <= soonest + self.whole(step.slack) + self._lateness(lenient))

    def prefers_what_presses(self, solver: cp_model.CpSolver) -> bool:
        """Keep total and lateness as found, and let begin sooner what must; return whether anything must."""
        bound = [(test.start_by, starts[0]) for test, starts in zip(self.tests, self.starts, strict=True)]
        pressing = [start for by, start in sorted(bound, key=lambda each: -(each[0] or 0.0)) if by is not None]
        for variable in (self.total, *self.late):
            self.model.add(variable <= solver.value(variable))
        for variable in (start for starts in self.starts for start in starts):
            self.model.add_hint(variable, solver.value(variable))
        self.model.minimize(sum(2**place * start for place, start in enumerate(pressing[-_MOST_PRESSING:])))
        return bool(pressing)

    def _lateness(self, lenient: bool) -> Any:
        if not lenient:
            return 0
        self.late.append(self.model.new_int_var(0, self.horizon, ""))
        return self.late[-1]


def _solved(tests: Sequence[PlannedTest], seconds: float, *, lenient: bool) -> TestPlan | None:
    """Return the best plan found; None where no order meets the windows.

    Raises CannotCompute on `tests` where the search ends without an answer.
    """
    from ortools.sat.python import cp_model

    model = _Model(tests, lenient=lenient)
    solver = _solver(seconds)
    status = solver.solve(model.model)
    if status == cp_model.INFEASIBLE:
        return None
    if status not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
        raise CannotCompute("No plan was found in the time there is: plan fewer tests at once.", "tests")
    gap = max(solver.objective_value - solver.best_objective_bound, 0.0) / model.parts
    if status == cp_model.OPTIMAL and model.prefers_what_presses(solver):
        # What was found stands as it is where nothing better comes of looking on.
        looking_on = _solver(min(seconds, _LOOK_ON_SECONDS))
        if looking_on.solve(model.model) in (cp_model.OPTIMAL, cp_model.FEASIBLE):
            solver = looking_on
    found = [[solver.value(start) for start in starts] for starts in model.starts]
    starts = [[start / model.parts for start in of_one] for of_one in _without_idling(model, found)]
    total = max(of_one[-1] + test.steps[-1].hands for of_one, test in zip(starts, tests, strict=True))
    late = [test.id for test, of_one in zip(tests, starts, strict=True) if _is_late(test, of_one)]
    named = {test.id: tuple(of_one) for test, of_one in zip(tests, starts, strict=True)}
    return TestPlan(total, named, one_after_another(tests), gap, tuple(late))


def _solver(seconds: float) -> cp_model.CpSolver:
    from ortools.sat.python import cp_model

    solver = cp_model.CpSolver()
    solver.parameters.max_time_in_seconds = seconds
    # Two searches, one of them from the least total upwards: most days are as short as what is attended.
    solver.parameters.num_workers = 2
    solver.parameters.use_objective_lb_search = True
    return solver


def _is_late(test: PlannedTest, starts: list[float]) -> bool:
    if test.start_by is not None and starts[0] > test.start_by + _FITS:
        return True
    between = zip(test.steps, pairwise(starts), strict=False)
    return any(
        step.slack is not None and after > before + step.hands + step.wait + step.slack + _FITS
        for step, (before, after) in between
    )


def _without_idling(model: _Model, found: list[list[int]]) -> list[list[int]]:
    """Return the starts of the same order, each as early as the others allow: the least solution of its differences."""
    tests = model.tests
    places = [(n, k) for n, test in enumerate(tests) for k in range(len(test.steps))]
    ends = {(n, k): found[n][k] + model.whole(tests[n].steps[k].hands) for n, k in places}
    in_order = sorted(places, key=lambda place: (found[place[0]][place[1]], ends[place], place))
    # (before, after, minutes between their starts at least): by hands, by waits and windows, by what both use.
    apart = [(a, b, ends[a] - found[a[0]][a[1]]) for a, b in pairwise(in_order)]
    for n, test in enumerate(tests):
        for k, step in enumerate(test.steps[:-1]):
            soonest = model.whole(step.hands) + model.whole(step.wait)
            apart.append(((n, k), (n, k + 1), soonest))
            if step.slack is not None:
                longest = max(soonest + model.whole(step.slack), found[n][k + 1] - found[n][k])
                apart.append(((n, k + 1), (n, k), -longest))
    for name in {name for test in tests for name in test.uses}:
        users = sorted((n for n, test in enumerate(tests) if name in test.uses), key=lambda n: (found[n][-1], n))
        for a, b in pairwise(users):
            last = (a, len(tests[a].steps) - 1)
            apart.append((last, (b, 0), model.whole(tests[a].steps[-1].hands)))
    starts = {(n, k): model.whole(tests[n].ready) if k == 0 else 0 for n, k in places}
    moved = True
    while moved:
        moved = False
        for before, after, least in apart:
            if starts[after] < starts[before] + least:
                starts[after], moved = starts[before] + least, True
    return [[starts[n, k] for k in range(len(test.steps))] for n, test in enumerate(tests)]
