"""The plan of several tests, held to an exhaustive search and to what a plan must be."""

import itertools
import random
import time
from datetime import UTC, datetime, timedelta
from itertools import pairwise
from unittest import TestCase

from kessa.core.errors import CannotCompute
from kessa.core.methods import house_methods
from kessa.core.planning.left_to_do import Course, left_of, usual_seconds
from kessa.core.planning.several_tests import PlannedStep, PlannedTest, one_after_another, plan_tests
from kessa.core.runs.progress import Run
from kessa.core.runs.state import Clock, RunState

NOON = datetime(2026, 11, 23, 12, tzinfo=UTC)


def day(chance, tests, steps, *, things="ab"):
    """Make up tests of whole and half minutes."""
    return [
        PlannedTest(
            f"test {number}",
            tuple(
                PlannedStep(chance.choice([0.5, 1, 2, 4]), chance.choice([0, 1, 3, 6]), chance.choice([None, 0, 1, 2]))
                for _ in range(steps)
            ),
            chance.choice([None, None, 2, 6]),
            frozenset(thing for thing in things if chance.random() < 0.3),
        )
        for number in range(tests)
    ]


def waits(number, test):
    for k, step in enumerate(test.steps[:-1]):
        yield (number, k), (number, k + 1), step.hands + step.wait
        if step.slack is not None:
            yield (number, k + 1), (number, k), -(step.hands + step.wait + step.slack)


def least_total(tests):
    """Try every order of the steps; None where none meets the windows."""
    labels = [number for number, test in enumerate(tests) for _ in test.steps]
    totals = []
    for order in set(itertools.permutations(labels)):
        seen = dict.fromkeys(range(len(tests)), 0)
        places = []
        for number in order:
            places.append((number, seen[number]))
            seen[number] += 1
        apart = [(a, b, tests[a[0]].steps[a[1]].hands) for a, b in pairwise(places)]
        apart += [each for number, test in enumerate(tests) for each in waits(number, test)]
        last = {number: (number, len(test.steps) - 1) for number, test in enumerate(tests)}
        for a, b in itertools.combinations(dict.fromkeys(order), 2):
            if tests[a].uses & tests[b].uses:
                apart.append((last[a], (b, 0), tests[a].steps[-1].hands))
        starts = dict.fromkeys(places, 0.0)
        for _ in range(40):
            for before, after, least in apart:
                starts[after] = max(starts[after], starts[before] + least)
        met = all(starts[after] >= starts[before] + least - 1e-9 for before, after, least in apart)
        if met and all(test.start_by is None or starts[n, 0] <= test.start_by for n, test in enumerate(tests)):
            totals.append(max(starts[place] + tests[place[0]].steps[-1].hands for place in last.values()))
    return min(totals, default=None)


class SeveralTests(TestCase):
    def test_no_order_is_shorter(self):
        chance, found = random.Random(7), 0
        for _ in range(60):
            tests = day(chance, 3, 2)
            wanted = least_total(tests)
            if wanted is None:
                with self.assertRaises(CannotCompute) as refused:
                    plan_tests(tests, seconds=10)
                self.assertEqual(refused.exception.field, "tests")
            else:
                found += 1
                plan = plan_tests(tests, seconds=10)
                self.assertEqual((plan.total, plan.gap, plan.late), (wanted, 0, ()), tests)
                self.assert_can_be_done(tests, plan.starts)
        self.assertGreater(found, 20)

    def assert_can_be_done(self, tests, starts):
        hands = sorted((at, at + step.hands) for t in tests for at, step in zip(starts[t.id], t.steps, strict=True))
        self.assertTrue(all(end <= begin + 1e-9 for (_, end), (begin, _) in pairwise(hands)))
        for test in tests:
            self.assertTrue(test.start_by is None or starts[test.id][0] <= test.start_by + 1e-9)
            for step, (at, following) in zip(test.steps, pairwise(starts[test.id]), strict=False):
                apart = following - at - step.hands - step.wait
                self.assertGreaterEqual(apart, -1e-9)
                self.assertTrue(step.slack is None or apart <= step.slack + 1e-9)
        for one, other in itertools.combinations(tests, 2):
            if one.uses & other.uses:
                ends = {each.id: starts[each.id][-1] + each.steps[-1].hands for each in (one, other)}
                self.assertTrue(ends[one.id] <= starts[other.id][0] or ends[other.id] <= starts[one.id][0])

    def test_nine_tests_of_four_steps_are_planned_while_one_looks(self):
        chance = random.Random(3)
        tests = [each._replace(start_by=None) for each in day(chance, 9, 4, things="")]
        plan_tests(tests[:2], seconds=10)
        begun = time.process_time()
        plan = plan_tests(tests, seconds=10)
        self.assertEqual(plan.gap, 0)
        self.assertLess(time.process_time() - begun, 10)
        self.assert_can_be_done(tests, plan.starts)
        self.assertGreater(one_after_another(tests), plan.total)

    def test_what_is_left_of_a_begun_test_keeps_its_clock_and_its_vessel(self):
        reading = PlannedTest("nitrate", (PlannedStep(1),), 7, frozenset({"cup"}), ready=4, begun=True)
        colour = PlannedTest("iron", (PlannedStep(2, 1), PlannedStep(1)), uses=frozenset({"cup"}))
        plan = plan_tests([reading, colour, PlannedTest("pH", (PlannedStep(3),))], seconds=10)
        self.assertEqual((plan.starts["nitrate"], plan.starts["iron"], plan.total), ((4,), (5, 8), 9))

    def test_windows_that_cannot_be_met_are_missed_by_as_little_as_can_be_and_said(self):
        tests = [PlannedTest("oxygen", (PlannedStep(4),), 0), PlannedTest("chlorine", (PlannedStep(2),), 1)]
        with self.assertRaises(CannotCompute):
            plan_tests(tests, seconds=10)
        plan = plan_tests(tests, seconds=10, strict=False)
        self.assertEqual((plan.starts["chlorine"], plan.late), ((0,), ("oxygen",)))
        self.assertIsNone(plan.one_by_one)

    def test_thirds_of_a_minute_and_odd_fractions_fit_as_they_are(self):
        tests = [
            PlannedTest("a", (PlannedStep(1 / 3, 2 / 3, 0), PlannedStep(0.1))),
            PlannedTest("b", (PlannedStep(2 / 3),), 1 / 3),
        ]
        self.assertAlmostEqual(plan_tests(tests, seconds=10).total, 1.1)
        odd = [
            PlannedTest("a", (PlannedStep(0.123456789012, 0.7), PlannedStep(1.1))),
            PlannedTest("b", (PlannedStep(0.7),)),
        ]
        self.assertAlmostEqual(plan_tests(odd, seconds=10).total, 1.923456789, places=6)

    def test_what_is_no_day_of_tests_is_refused(self):
        one = PlannedTest("a", (PlannedStep(1),))
        for tests in (
            [],
            [one, one],
            [one._replace(id="")],
            [one._replace(steps=())],
            [one._replace(steps=(PlannedStep(-1),))],
            [one._replace(steps=(PlannedStep(1, float("nan")),))],
            [one._replace(start_by=1e9)],
            [one._replace(id=str(number)) for number in range(61)],
        ):
            with self.subTest(tests[:2]), self.assertRaises(CannotCompute) as refused:
                plan_tests(tests, seconds=10)
            self.assertEqual(refused.exception.field, "tests")


class LeftToDo(TestCase):
    """What is left of a test while its clocks run."""

    def left(self, key, state, *, runs=1, now=NOON):
        method = house_methods()[key]
        others = [Run(RunState(missing=("main",)))] * (runs - 1)
        course = Course(method, (Run(state), *others), {"ph": 7.0, "bottle": "sterile"}, {})
        return left_of(key, course, now, begun=True)

    def state(self, key, *, clock=None, at=NOON, **changes):
        """A run whose steps before its clock are done, and the clock started."""
        steps = house_methods()[key].steps
        number = clock if clock is not None else max(n for n, step in enumerate(steps) if step.wait)
        clocks = {number: Clock(at, steps[number].wait.seconds)}
        return RunState(steps=dict.fromkeys(range(number), NOON), clocks=clocks, missing=("main",), **changes)

    def test_the_next_step_is_ready_when_the_clock_rings_and_presses_as_long_as_the_method_says(self):
        at = NOON - timedelta(minutes=3)
        left = self.left("nitrate-ampoule", self.state("nitrate-ampoule", at=at))
        # Eight minutes, then to be read within three.
        self.assertEqual((left.ready, left.start_by), (5, 8))
        state = self.state("nitrate-ampoule", at=at)
        state.steps[max(state.clocks)] = NOON
        self.assertEqual(self.left("nitrate-ampoule", state)[2:5:2], (8, 5), "gone on before the time")
        late = self.left("nitrate-ampoule", self.state("nitrate-ampoule", at=NOON - timedelta(hours=1)))
        self.assertEqual((late.ready, late.start_by), (0, 0))

    def test_what_is_waited_for_until_tomorrow_is_not_waited_for_here(self):
        self.assertIsNone(self.left("ecoli-presence", self.state("ecoli-presence")))
        fresh = self.left("ecoli-presence", RunState(missing=("main",)))
        self.assertEqual([step.wait for step in fresh.steps], [0])

    def test_shaking_is_work_and_not_waiting(self):
        whole = self.left("nitrate-ampoule", RunState(missing=("main",)))
        self.assertGreater(whole.steps[0].hands, 2)
        self.assertEqual(
            len(self.left("nitrate-ampoule", RunState(missing=("main",)), runs=2).steps), 2 * len(whole.steps)
        )

    def test_a_teams_own_past_counts_before_the_usual(self):
        method = house_methods()["chloride-drops-25"]
        self.assertEqual(usual_seconds(method, 0), 30)
        self.assertEqual(usual_seconds(method, 0, {0: 12.0}), 12)
        self.assertGreater(usual_seconds(method, next(n for n, s in enumerate(method.steps) if s.kind == "count")), 60)
