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
from kessa.core.simulate import simulated
from kessa.core.trends import usual_range
from kessa.core.units import convert
from tests.cases import run_cases
from tests.core.test_calc import ROOT

LOW, MIDDLE, HIGH = (house_methods()[f"chloride-drops-{ml}"] for ml in (25, 10, 2))
SETS = ("us-aquatic", "ca-aquatic")
GOOD = Blank(1, "good")


def run(count, first_change=None, endpoint=True):
    return {"count": count, "first_change": first_change, "endpoint": endpoint}


def concluded(method, *readings, blank=GOOD, dilution=1.0):
    return conclude(method, method.main, dict(enumerate(readings, 1)), blank, dilution)


class RunsFromEvents(TestCase):
    def test_the_shared_cases(self):
        for case in run_cases():
            with self.subTest(case["name"]):
                events = [runs.Event(**event) for event in case["events"]]
                state = runs.derive(events, case["most"], tuple(case["parts"]))
                got = asdict(state)
                got["steps"] = sorted(state.steps)
                got["clock"] = state.clock and state.clock._asdict()
                got["clocks"] = {str(step): clock._asdict() for step, clock in state.clocks.items()}
                got["readings"] = {part: reading._asdict() for part, reading in state.readings.items()}
                got["missing"] = list(state.missing)
                self.assertEqual(got, case["state"])

    @given(st.permutations(range(30)), st.sets(st.integers(0, 29)))
    def test_no_order_and_no_repeat_changes_the_count(self, order, taken):
        drops = [runs.Event(f"d{n:02}", runs.DROP, n + 1, f"t{n:02}", {}) for n in range(30)]
        backs = [runs.Event(f"b{n:02}", runs.BACK, 40, f"t{n:02}", {"of": f"d{n:02}"}) for n in taken]
        arrived = [drops[n] for n in order] + backs
        self.assertEqual(runs.derive(arrived, 100).count, 30 - len(taken))


class Conclusions(TestCase):
    def test_agreeing_runs_give_their_mean_and_span_both(self):
        outcome = concluded(LOW, run(8), run(7, 6))
        self.assertEqual(outcome.state, "agreed")
        self.assertEqual(outcome.quantity, Quantity(30, 20, 32, None, "mg/L", "Cl"))
        self.assertIn("Run 1: 8 × 4 = 32 mg/L as Cl", " ".join(outcome.working))

    def test_a_third_run_decides_or_the_result_is_marked(self):
        self.assertEqual(concluded(LOW, run(4), run(8)).state, "run again")
        decided = concluded(LOW, run(4), run(8), run(9))
        self.assertEqual((decided.state, decided.used, decided.quantity.value), ("agreed", (2, 3), 34))
        marked = concluded(LOW, run(4), run(8), run(12))
        self.assertEqual((marked.state, marked.flags), ("not agreed", ("not-agreed",)))
        self.assertEqual((marked.quantity.low, marked.quantity.high), (12, 48))

    def test_over_the_range_is_a_floor_that_no_run_contradicts(self):
        alone = concluded(LOW, run(25, endpoint=False))
        self.assertEqual((alone.quantity.censor, alone.quantity.value, alone.next), (">", 100, "higher range"))
        mixed = concluded(HIGH, run(24), run(25, endpoint=False), dilution=10)
        self.assertEqual((mixed.quantity.low, mixed.next, mixed.flags), (11500, "dilute", ("diluted", "over-range")))

    def test_void_runs_do_not_count_and_a_bad_blank_stays_with_the_result(self):
        self.assertFalse(runs.RunState(count=9, endpoint=True, voided=True).counts)
        outcome = conclude(LOW, LOW.main, {2: run(5)}, Blank(4, "bad"))
        self.assertEqual((outcome.used, outcome.flags), ((2,), ("blank-bad", "one-run")))
        self.assertEqual(concluded(LOW).quantity, None)

    def test_the_blank(self):
        verdicts = [LOW.blank.verdict(count) for count in (1, 2, 3)]
        self.assertEqual(verdicts, ["good", "questionable", "bad"])
        self.assertEqual(LOW.blank.verdict(1, endpoint=False), "bad")

    def test_the_next_step_is_said(self):
        over = concluded(LOW, run(25, endpoint=False))
        self.assertIn("10 mL vessel", next_steps(LOW.main, over, "not settled", higher_range=MIDDLE)[0])
        agreed = concluded(LOW, run(7), run(7))
        self.assertIn("the mill", next_steps(LOW.main, agreed, "outside", upstream="the mill")[0])
        self.assertIn("certified laboratory", next_steps(LOW.main, agreed, "not settled")[0])
        self.assertIn("next visit", next_steps(LOW.main, agreed, "inside")[0])


class Methods(TestCase):
    def test_the_worth_of_a_drop_follows_from_chemistry(self):
        derived = [part for method in house_methods().values() for part in method.parts if part.titrant]
        self.assertGreater(len(derived), 25)
        for part in derived:
            numbers = part.numbers
            # A drop or tablet is worth `per`; a unit of a syringe or burette is 1 mL.
            printed = (
                numbers.per or numbers.multiplier or numbers.normality * numbers.eq_weight * 1000 / numbers.sample_ml
            )
            with self.subTest(f"{part.parameter} {printed}"):
                self.assertLess(abs(part.titrant.worth_of_a_unit() / printed - 1), 0.01)

    def test_every_counted_house_method_shows_its_derivation(self):
        without = {method.family for method in house_methods().values() if method.counted and not method.main.titrant}
        self.assertEqual(without, {"inhibitor-difference"})

    def test_the_kits_own_factors_are_chemistrys_within_its_rounding(self):
        for method in house_methods().values():
            for part in method.parts:
                for other in part.also:
                    by_chemistry = convert(1.0, part.unit, part.form, part.unit, other.form)
                    self.assertLess(abs(other.times / by_chemistry - 1), 0.02, f"{method.key} as {other.form}")

    def test_a_faulty_file_is_told_by_file_and_field(self):
        good = (LIBRARY / "calcium-hardness-drops.toml").read_text()
        for broken, named in (
            (good.replace("per = 5,", "per = -5,"), "numbers.per"),
            (good.replace('parameter = "calcium hardness"', 'paramter = "calcium hardness"'), "paramter"),
            (good.replace('kind = "count"\nunit', 'kind = "guess"\nunit'), "kind"),
            (good.replace('role = "too far"', 'role = "stays"'), "colours"),
            (good.replace("[[parts]]", "[[parts"), "line"),
            (good.replace('as = "Ca",', 'as = "N",'), "also"),
            (good.replace('supply = "calcium-buffer"', 'supply = "calcium-bufer"'), "uses.1.supply"),
            (good.replace('kind = "count", text', 'kind = "read", text'), "steps"),
            (good.replace('equivalent_of = "CaCO3"', 'equivalent_of = "Chalk"'), "equivalent_of"),
        ):
            with self.subTest(named), tempfile.TemporaryDirectory() as folder:
                path = Path(folder) / "mine.toml"
                path.write_text(broken)
                with self.assertRaisesRegex(BadDataFile, f"mine.toml: .*{named}"):
                    read_toml(path, Method)

    def test_simulated_readings_are_what_the_water_holds(self):
        counts = [simulated(LOW.main, 30, Random(seed))["count"] for seed in range(200)]
        self.assertTrue(set(counts) <= {7, 8, 9}, set(counts))

    def test_every_house_method_reads_what_simulated_water_holds(self):
        tables = {"chloride-strip": [[1.0, 20], [3.0, 80], [5.0, 200]]}
        for method in house_methods().values():
            for part in method.with_tables(tables).parts:
                steps = part.numbers.steps or ()
                strength = steps[len(steps) // 2] if steps else (part.reach or 20.0) * 0.5
                with self.subTest(f"{method.key} {part.parameter}"):
                    quantity = part.determine(simulated(part, strength, Random(5))).quantity
                    wide = {"chart": 1.5, "difference": 0.4, "scale": 0.4}.get(part.kind, 0.2)
                    self.assertLess(abs(quantity.value / strength - 1), wide)


class Limits(TestCase):
    @skipUnless((ROOT.parent / "shared" / "reference" / "limits.csv").exists(), "the published list is not here")
    def test_the_sets_say_what_was_published(self):
        with (ROOT.parent / "shared" / "reference" / "limits.csv").open() as file:
            published = [row for row in csv.DictReader(file) if row["set"] in rule_sets()]
        order = list(dict.fromkeys(row["set"] for row in published))
        shipped = [limit for key in order for limit in rule_sets()[key].limits]
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
        rungs = ladder(LOW.main, LOW.agreement, 2.0, SETS)
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
