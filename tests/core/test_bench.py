"""What the bench rests on: runs from events, results from runs, methods, limits, ladders, what is usual."""

import csv
import tempfile
from dataclasses import asdict
from pathlib import Path
from random import Random
from unittest import TestCase, skipUnless

from hypothesis import given
from hypothesis import strategies as st

from kessa.core import runs
from kessa.core.advice import is_unusual, next_steps
from kessa.core.datafile import BadDataFile, read_toml
from kessa.core.determination import Blank, conclude
from kessa.core.ladder import ladder
from kessa.core.limits import judge_by_sets, overall, rule_sets
from kessa.core.methods import LIBRARY, house_methods
from kessa.core.methods.schema import Method
from kessa.core.quantity import Quantity
from kessa.core.simulate import drops_to_end
from kessa.core.trends import usual_range
from tests.cases import run_cases
from tests.core.test_calc import ROOT

LOW, MIDDLE, HIGH = (house_methods()[f"chloride-drops-{ml}"] for ml in (25, 10, 2))
SETS = ("us-aquatic", "ca-aquatic")
GOOD = Blank(1, "good")


def run(count, first_change=None, endpoint=True):
    return runs.RunState(count=count, first_change=first_change, endpoint=endpoint)


class RunsFromEvents(TestCase):
    def test_the_shared_cases(self):
        for case in run_cases():
            with self.subTest(case["name"]):
                state = runs.derive([runs.Event(**event) for event in case["events"]], case["most"])
                got = asdict(state)
                got["steps"] = sorted(state.steps)
                got["clock"] = state.clock and state.clock._asdict()
                self.assertEqual(got, case["state"])

    @given(st.permutations(range(30)), st.sets(st.integers(0, 29)))
    def test_no_order_and_no_repeat_changes_the_count(self, order, taken):
        drops = [runs.Event(f"d{n:02}", runs.DROP, n + 1, f"t{n:02}", {}) for n in range(30)]
        backs = [runs.Event(f"b{n:02}", runs.BACK, 40, f"t{n:02}", {"of": f"d{n:02}"}) for n in taken]
        arrived = [drops[n] for n in order] + backs
        self.assertEqual(runs.derive(arrived, 100).count, 30 - len(taken))


class Conclusions(TestCase):
    def test_agreeing_runs_give_their_mean_and_span_both(self):
        outcome = conclude(LOW, {1: run(8), 2: run(7, 6)}, GOOD)
        self.assertEqual(outcome.state, "agreed")
        self.assertEqual(outcome.quantity, Quantity(30, 20, 32, None, "mg/L", "Cl"))
        self.assertIn("Run 1: 8 × 4 = 32 mg/L as Cl", " ".join(outcome.working))

    def test_a_third_run_decides_or_the_result_is_marked(self):
        self.assertEqual(conclude(LOW, {1: run(4), 2: run(8)}, GOOD).state, "run again")
        decided = conclude(LOW, {1: run(4), 2: run(8), 3: run(9)}, GOOD)
        self.assertEqual((decided.state, decided.used, decided.quantity.value), ("agreed", (2, 3), 34))
        marked = conclude(LOW, {1: run(4), 2: run(8), 3: run(12)}, GOOD)
        self.assertEqual((marked.state, marked.flags), ("not agreed", ("not-agreed",)))
        self.assertEqual((marked.quantity.low, marked.quantity.high), (12, 48))

    def test_over_the_range_is_a_floor_that_no_run_contradicts(self):
        alone = conclude(LOW, {1: run(25, endpoint=False)}, GOOD)
        self.assertEqual((alone.quantity.censor, alone.quantity.value, alone.next), (">", 100, "higher range"))
        mixed = conclude(HIGH, {1: run(24), 2: run(25, endpoint=False)}, GOOD, 10)
        self.assertEqual((mixed.quantity.low, mixed.next, mixed.flags), (11500, "dilute", ("diluted", "over-range")))

    def test_void_runs_do_not_count_and_a_bad_blank_stays_with_the_result(self):
        void = run(9)
        void.voided = True
        outcome = conclude(LOW, {1: void, 2: run(5)}, Blank(4, "bad"))
        self.assertEqual((outcome.used, outcome.flags), ((2,), ("blank-bad", "one-run")))
        self.assertEqual(conclude(LOW, {1: void}, GOOD).quantity, None)

    def test_the_blank(self):
        verdicts = [LOW.blank.verdict(count) for count in (1, 2, 3)]
        self.assertEqual(verdicts, ["good", "questionable", "bad"])
        self.assertEqual(LOW.blank.verdict(1, endpoint=False), "bad")

    def test_the_next_step_is_said(self):
        over = conclude(LOW, {1: run(25, endpoint=False)}, GOOD)
        self.assertIn("10 mL vessel", next_steps(LOW, over, "not settled", higher_range=MIDDLE)[0])
        agreed = conclude(LOW, {1: run(7), 2: run(7)}, GOOD)
        self.assertIn("the mill", next_steps(LOW, agreed, "outside", upstream="the mill")[0])
        self.assertIn("certified laboratory", next_steps(LOW, agreed, "not settled")[0])
        self.assertIn("next visit", next_steps(LOW, agreed, "inside")[0])


class Methods(TestCase):
    def test_the_worth_of_a_drop_follows_from_chemistry(self):
        for method in house_methods().values():
            with self.subTest(method.key):
                by_chemistry = method.titrant.worth_of_a_drop()
                self.assertLess(abs(by_chemistry / method.numbers.per - 1), 0.01)

    def test_a_faulty_file_is_told_by_file_and_field(self):
        good = (LIBRARY / "chloride-drops-25.toml").read_text()
        for broken, named in (
            (good.replace("per = 4", "per = -4"), "numbers.per"),
            (good.replace('parameter = "chloride"', 'paramter = "chloride"'), "paramter"),
            (good.replace('kind = "count"\nunit', 'kind = "guess"\nunit'), "kind"),
            (good.replace('role = "too far"', 'role = "stays"'), "colours"),
            (good.replace("[numbers]", "[numbers"), "line"),
        ):
            with self.subTest(named), tempfile.TemporaryDirectory() as folder:
                path = Path(folder) / "mine.toml"
                path.write_text(broken)
                with self.assertRaisesRegex(BadDataFile, f"mine.toml: .*{named}"):
                    read_toml(path, Method)

    def test_simulated_readings_are_what_the_water_holds(self):
        counts = [drops_to_end(LOW, 30, Random(seed))[0] for seed in range(200)]
        self.assertTrue(set(counts) <= {7, 8, 9}, set(counts))


class Limits(TestCase):
    @skipUnless((ROOT.parent / "shared" / "reference" / "limits.csv").exists(), "the published list is not here")
    def test_the_sets_say_what_was_published(self):
        with (ROOT.parent / "shared" / "reference" / "limits.csv").open() as file:
            published = [row for row in csv.DictReader(file) if row["set"] in rule_sets()]
        shipped = [limit for key in ("us-aquatic", "ca-aquatic") for limit in rule_sets()[key].limits]
        self.assertEqual(len(shipped), len(published))
        for limit, row in zip(shipped, published, strict=True):
            bound = f"formula:{limit.formula}" if limit.formula else limit.max
            low, high = row["low"] and float(row["low"]), row["high"]
            self.assertEqual(
                (limit.parameter, limit.form or "", limit.unit), (row["parameter"], row["as"], row["unit"])
            )
            self.assertEqual((limit.min or "", limit.rule, limit.source), (low, row["rule"], row["source"]))
            self.assertEqual(bound, high if limit.formula else (float(high) if high else None))

    def test_the_gravest_verdict_decides_and_an_average_is_said(self):
        judged = judge_by_sets(Quantity(125, 110, 130, None, "mg/L", "Cl"), "chloride", list(SETS))
        self.assertEqual(overall(judged)["max"], 120)
        self.assertEqual(overall(judged)["verdict"], "not settled")
        self.assertIn("4-day average", judged[0]["against_average"])

    def test_a_result_is_judged_in_the_limits_own_form(self):
        salt = Quantity(400, 400, 400, None, "mg/L", "NaCl")
        self.assertAlmostEqual(judge_by_sets(salt, "chloride", ["us-aquatic"])[0]["margin"], 230 - 400 * 35.45 / 58.44)


class LadderAndUsual(TestCase):
    def test_every_rung_says_what_determine_and_judge_say(self):
        rungs = ladder(LOW, 2.0, SETS)
        self.assertEqual(len(rungs), 25)
        rung = rungs[14]
        self.assertEqual((rung["count"], rung["value"], rung["low"][12], rung["high"]), (15, "120", "96", "120"))
        self.assertEqual((rung["verdict"][14], rung["agrees"]), ("close", [13, 17]))

    def test_usual_is_learnt_from_eight_results(self):
        self.assertIsNone(usual_range([24.0] * 7))
        usual = usual_range([20, 22, 24, 26, 28, 30, 32, 34, 36, 38, 900])
        self.assertEqual((usual.median, usual.low, usual.high, usual.n), (30, 22, 38, 11))
        self.assertTrue(is_unusual(Quantity(100, 96, 100, None, "mg/L"), usual))
        self.assertFalse(is_unusual(Quantity(52, 48, 56, None, "mg/L"), usual))
        self.assertFalse(is_unusual(Quantity(12, 12, None, ">", "mg/L"), usual))
