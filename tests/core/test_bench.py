"""What the bench rests on: runs from events, results from runs, methods, limits, ladders, what is usual."""

import csv
import json
import math
import tempfile
from dataclasses import asdict
from datetime import UTC, datetime
from pathlib import Path
from random import Random
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from kessa.core.advising.of_the_test import steps_of_the_test
from kessa.core.datafile import BadDataFile, read_toml
from kessa.core.judging.holding import (
    judge_by_sets,
    judge_by_window,
    not_judged,
    overall,
    rule_for,
    unsettled,
    verdict_by,
)
from kessa.core.judging.limits import rule_sets
from kessa.core.judging.usual import is_unusual, usual_range
from kessa.core.methods import LIBRARY, house_methods
from kessa.core.methods.schema import Method
from kessa.core.quantities.quantity import Quantity
from kessa.core.quantities.units import convert
from kessa.core.runs import events as runs
from kessa.core.runs.checks import check_standard
from kessa.core.runs.conclusion import Blank, conclude
from kessa.core.runs.flags import FLAGS
from kessa.core.runs.ladder import ladder
from kessa.core.runs.parted import parted
from kessa.core.runs.state import DO, HOLDS, IS, RunState, derive
from kessa.core.runs.transitions import run_rules
from kessa.web.page_rules import page_rules
from tests.core.test_calc import KNOWN

LOW, MIDDLE, HIGH = (house_methods()[f"chloride-drops-{ml}"] for ml in (25, 10, 2))
SETS = ("us-aquatic", "ca-aquatic")


def sets(*keys):
    return [rule_sets()[key] for key in keys]


# Flags whose advice follows from the outcome itself.
SAID_ELSEWHERE = ("not-agreed", "over-range")
# What is read to tell the worth of a unit, by kind.
ONE = {"count": ("count", (3, 4)), "direct": ("scale", (0.25, 0.75)), "volume": ("ml", (1, 2))}
GOOD = Blank(1, "good")
NOON = datetime(2026, 11, 23, 12, tzinfo=UTC)


def told(moment):
    """A clock or reading as the page has it: the time in its own text, without what only the server knows."""
    at = moment.at.isoformat(timespec="milliseconds").replace("+00:00", "Z")
    return {key: value for key, value in {**moment._asdict(), "at": at}.items() if key != "of"}


def run(count, first_change=None, endpoint=True):
    return {"count": count, "first_change": first_change, "endpoint": endpoint}


def concluded(method, *readings, blank=GOOD, dilution=1.0):
    return conclude(method, method.main, dict(enumerate(readings, 1)), blank, dilution)


class RunsFromEvents(TestCase):
    def test_the_shared_cases(self):
        # The page's script is held to the same cases: see tests/scripts/runs.test.js.
        for case in json.loads((Path(__file__).parents[1] / "run_cases.json").read_text()):
            with self.subTest(case["name"]):
                nine = datetime(2026, 11, 23, 9, tzinfo=UTC)
                events = [
                    runs.Event(id=id_, kind=kind, seq=seq, at=nine.replace(second=second), data=(*rest, {})[0])
                    for id_, kind, seq, second, *rest in case["events"]
                ]
                state = derive(events, case["most"], tuple(case["parts"]))
                got = {**asdict(state), "steps": sorted(state.steps), "missing": list(state.missing)}
                got["clock"] = state.clock and told(state.clock)
                got["clocks"] = {str(step): told(clock) for step, clock in state.clocks.items()}
                got["seen"] = {
                    part: at.isoformat(timespec="milliseconds")[:-6] + "Z" for part, at in state.seen.items()
                }
                got["readings"] = {part: told(reading) for part, reading in state.readings.items()}
                self.assertEqual({key: got[key] for key in case["state"]}, case["state"])

    def test_every_word_of_the_table_is_known_and_the_page_has_the_same(self):
        rules = run_rules()
        self.assertEqual(set(rules.finished), set(IS))
        self.assertEqual({word for row in rules.transitions for word in row.when}, set(HOLDS))
        self.assertEqual({word for row in rules.transitions for word in row.do}, set(DO))
        self.assertEqual({row.event for row in rules.transitions} | {runs.BACK}, {*runs.RUN_EVENTS, runs.CORRECTED})
        page = Path(__file__).parents[2] / "kessa/pages/bench/run-rules.js"
        self.assertEqual(page.read_text(), page_rules()["bench/run-rules.js"], "run manage.py write_page_rules")

    def test_what_two_phones_made_of_one_run_without_a_signal_is_two_runs(self):
        nine = datetime(2026, 11, 23, 9, tzinfo=UTC)
        for case in json.loads((Path(__file__).parents[1] / "parted_cases.json").read_text()):
            made = {
                name: [
                    runs.Event(id_, kind, seq, nine.replace(second=second), data, device)
                    for id_, kind, seq, second, data, device in events
                ]
                for name, events in case["runs"].items()
            }
            found = {name: [event.id for event in events] for name, events in parted(made).items()}
            self.assertEqual(found, case["parted"], case["name"])

    @given(st.permutations(range(30)), st.sets(st.integers(0, 29)))
    def test_no_order_and_no_repeat_changes_the_count(self, order, taken):
        drops = [runs.Event(f"d{n:02}", runs.DROP, n + 1, NOON, {}) for n in range(30)]
        backs = [runs.Event(f"b{n:02}", runs.BACK, 40, NOON, {"of": f"d{n:02}"}) for n in taken]
        arrived = [drops[n] for n in order] + backs
        self.assertEqual(derive(arrived, 100).count, 30 - len(taken))


class Conclusions(TestCase):
    def test_agreeing_runs_give_their_mean_and_the_mean_of_their_ends(self):
        outcome = concluded(LOW, run(8), run(7, 6))
        self.assertEqual(outcome.state, "agreed")
        # Low: 32 and 28 less two drops and what the blank took. High: 30 and 26, the middles of the last drops, and by
        # squares 13 % of them and 1.96 × 4 / √12.
        drop = 1.96 * 4 / math.sqrt(12)
        high = (30 + math.hypot(0.13 * 30, drop) + 26 + math.hypot(0.13 * 26, drop)) / 2
        self.assertEqual((outcome.quantity.value, outcome.quantity.low), (30, 20))
        self.assertAlmostEqual(outcome.quantity.high, high)
        self.assertIn("Run 1: 8 × 4 = 32 mg/L as Cl", " ".join(outcome.working))
        self.assertIn("± 2.263, and 13 %, ± 3.9, by their squares ± 4.509", " ".join(outcome.working))

    def test_a_third_run_decides_or_the_result_is_marked(self):
        self.assertEqual(concluded(LOW, run(4), run(8)).state, "run again")
        decided = concluded(LOW, run(4), run(8), run(9))
        self.assertEqual((decided.state, decided.used, decided.quantity.value), ("agreed", (2, 3), 34))
        marked = concluded(LOW, run(4), run(8), run(12))
        self.assertEqual((marked.state, marked.flags), ("not agreed", ("not-agreed",)))
        self.assertEqual((marked.quantity.low, round(marked.quantity.high, 1)), (8, 52.4))

    def test_over_the_range_is_a_floor_that_no_run_contradicts(self):
        alone = concluded(LOW, run(25, endpoint=False))
        self.assertEqual((alone.quantity.censor, alone.quantity.value, alone.next), (">", 100, "higher range"))
        # Of a bottle whose drops are 13 % small, 25 drops are 87 mg/L.
        self.assertEqual(alone.quantity.low, 87)
        mixed = concluded(HIGH, run(24), run(25, endpoint=False), dilution=10)
        self.assertEqual((mixed.quantity.low, mixed.next, mixed.flags), (10200, "dilute", ("diluted", "over-range")))

    def test_a_disc_seen_on_the_bottom_is_a_floor_under_any_rule(self):
        secchi = house_methods()["secchi-depth"].snapshot() | {"agreement": {"rule": "absolute", "within": 10}}
        reading = {"down": 205, "up": 200, "bottom_visible": True}
        outcome = concluded(Method.model_validate(secchi), reading, reading, blank=None)
        self.assertEqual((outcome.state, outcome.quantity.censor, outcome.quantity.high), ("over range", ">", None))
        self.assertIsNone(outcome.next)

    def test_runs_that_cannot_be_compared_are_a_state_with_words(self):
        cold = house_methods()["temperature-thermometer"].snapshot()
        cold |= {"agreement": {"rule": "relative", "within": 10}}
        outcome = concluded(Method.model_validate(cold), {"display": -0.5}, {"display": 0.5}, blank=None)
        self.assertEqual((outcome.state, outcome.flags), ("cannot be compared", ("not-comparable",)))
        self.assertIn("too unlike to compare", " ".join(outcome.working))

    def test_what_a_blank_does_is_the_teams_school(self):
        reading, blank = {"count": 12, "first_change": 11}, Blank(1, "good")
        for school, value, low in (("widens", 48, 36), ("checks", 48, 40), ("off", 44, 36)):
            method = LOW.under({"good_blank": school})
            quantity = conclude(method, method.main, {1: reading}, blank).quantity
            self.assertEqual((quantity.value, quantity.low), (value, low), school)

    def test_a_window_judges_the_number_that_was_read(self):
        nitrite = house_methods()["nitrite-drops-5"].snapshot()
        nitrite["parts"][0]["wanted"] = {"max": 200}
        part = Method.model_validate(nitrite).main
        written, _ = part.written_as(part.determine({"count": 4}).quantity, "NO2")
        self.assertAlmostEqual(judge_by_window(written, part)["margin"], 0)

    def test_void_runs_do_not_count_and_a_bad_blank_stays_with_the_result(self):
        self.assertFalse(RunState(count=9, endpoint=True, voided=True).counts)
        outcome = conclude(LOW, LOW.main, {2: run(5)}, Blank(4, "bad"))
        self.assertEqual((outcome.used, outcome.flags), ((2,), ("blank-bad", "one-run")))
        self.assertEqual(concluded(LOW).quantity, None)

    def test_the_blank(self):
        verdicts = [LOW.blank.verdict(count) for count in (1, 2, 3)]
        self.assertEqual(verdicts, ["good", "questionable", "bad"])
        self.assertEqual(LOW.blank.verdict(1, endpoint=False), "bad")

    def test_a_most_alone_never_says_that_there_is_enough_chlorine(self):
        none = house_methods()["chlorine-photometer"].main.determine({"display": 0.0}).quantity
        most = judge_by_sets(none, "free chlorine", sets("us-primary", "who-gdwq"))
        self.assertEqual((overall(most)["verdict"], verdict_by("free chlorine", most)), ("inside", None))
        both = judge_by_sets(none, "free chlorine", sets("us-primary", "chlorinated-supply"))
        self.assertEqual((overall(both)["verdict"], verdict_by("free chlorine", both)), ("outside", "outside"))

    def test_only_what_may_be_diluted_is_told_to_be(self):
        for method in house_methods().values():
            for part in method.parts:
                if part.kind != "scale":
                    continue
                beyond = conclude(method, part, {1: {"above": True}})
                words = " ".join(steps_of_the_test(method, part, beyond))
                with self.subTest(method.key):
                    self.assertEqual("Dilute" in words, method.may_dilute)
        clear = house_methods()["clarity-tube"]
        beyond = conclude(clear, clear.main, {1: {"above": True}})
        self.assertIn("Clearer", " ".join(steps_of_the_test(clear, clear.main, beyond)))

    def test_what_the_test_itself_asks_for_is_said(self):
        over = concluded(LOW, run(25, endpoint=False))
        self.assertIn("10 mL vessel", " ".join(steps_of_the_test(LOW, LOW.main, over, MIDDLE)))
        agreed = concluded(LOW, run(7), run(7))
        self.assertEqual(steps_of_the_test(LOW, LOW.main, agreed), ())
        settled = steps_of_the_test(LOW, LOW.main, agreed, settlers=["the photometer"])
        self.assertIn("settled by: the photometer; or by a certified laboratory", " ".join(settled))
        for key, flag in FLAGS.items():
            self.assertTrue(flag.words and (flag.advice or not flag.repeat or key in SAID_ELSEWHERE), key)


class Methods(TestCase):
    def test_the_worth_of_a_drop_follows_from_chemistry(self):
        derived = [part for method in house_methods().values() for part in method.parts if part.titrant]
        self.assertGreater(len(derived), 25)
        for part in derived:
            numbers = part.numbers
            # A drop or tablet is worth `per`; a unit of a syringe or burette is 1 mL.
            name, (less, more) = ONE[part.kind]
            values = [numbers.determine({name: units}).quantity.value for units in (less, more)]
            printed = (values[1] - values[0]) / (more - less)
            with self.subTest(f"{part.parameter} {printed}"):
                self.assertLess(abs(part.titrant.worth_of_a_unit() / printed - 1), 0.01)

    def test_every_counted_house_method_shows_its_derivation(self):
        without = {method.family for method in house_methods().values() if method.counted and not method.main.titrant}
        # Of these what was counted is the result itself.
        self.assertEqual(without, {"inhibitor-difference", "reserve-alkalinity-drops"})

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
        counts = [LOW.main.simulated(30, Random(seed))["count"] for seed in range(200)]
        self.assertTrue(set(counts) <= {7, 8, 9}, set(counts))

    def test_every_house_method_reads_what_simulated_water_holds(self):
        tables = {"chloride-strip": [[1.0, 20], [3.0, 80], [5.0, 200]]}
        for method in house_methods().values():
            for part in method.with_tables(tables).parts:
                steps = getattr(part.numbers, "steps", ())
                strength = steps[len(steps) // 2] if steps else (part.reach or 20.0) * 0.5
                with self.subTest(f"{method.key} {part.parameter}"):
                    quantity = part.determine(part.simulated(strength, Random(5))).quantity
                    if quantity.words:
                        self.assertEqual(quantity.words, "present")
                        continue
                    wide = {"chart": 1.5, "difference": 0.4, "scale": 0.4}.get(part.kind, 0.2)
                    self.assertLess(abs(quantity.value / strength - 1), wide)


class Limits(TestCase):
    def test_the_sets_say_what_was_published(self):
        with (KNOWN / "limits.csv").open() as file:
            published = list(csv.DictReader(file))
        laws = {key for key, found in rule_sets().items() if found.role != "programme"}
        self.assertEqual({row["set"] for row in published}, laws)
        shipped = [
            {
                "set": key,
                "parameter": limit.parameter,
                "as": limit.form or "",
                "unit": limit.unit,
                "low": "" if limit.min is None else limit.min,
                "high": f"formula:{limit.formula}" if limit.formula else "" if limit.max is None else limit.max,
                "statistic": limit.statistic,
                "rule": limit.decided_by,
                "protects": limit.protects,
                "source": limit.source,
            }
            for key in laws
            for limit in rule_sets()[key].limits
        ]
        kept = [
            {
                name: float(row[name]) if name in ("low", "high") and row[name] and ":" not in row[name] else row[name]
                for name in shipped[0]
            }
            for row in published
        ]
        self.assertCountEqual(shipped, kept)

    def test_the_gravest_verdict_decides_and_an_average_is_said(self):
        judged = judge_by_sets(Quantity(125, 110, 130, None, "mg/L", "Cl"), "chloride", sets(*SETS))
        self.assertEqual(overall(judged)["max"], 120)
        self.assertEqual(overall(judged)["verdict"], "not settled")
        self.assertIn("4-day average", judged[0]["against_average"])

    def test_a_limit_is_found_by_any_name_and_one_that_cannot_be_judged_says_why(self):
        ammonium = judge_by_sets(Quantity(0.4, 0.4, 0.4, None, "mg/L", "N"), "ammonia", sets("eu-2020"))
        # 0.4 × 18.039 / 14.007 = 0.515, over 0.50 as NH4.
        self.assertEqual(ammonium[0]["verdict"], "outside")
        left = not_judged(Quantity(1, 1, 1, None, "mg/L", "N"), "ammonium", sets("us-aquatic"))
        self.assertTrue(left and all("needs pH and temperature of the same sample" in why for _, _, why in left))
        cloudy = not_judged(Quantity(5, 5, 5, None, "JTU"), "turbidity", sets("who-gdwq"))
        self.assertIn("does not convert", cloudy[0][2])

    def test_a_result_is_judged_in_the_limits_own_form(self):
        salt = Quantity(400, 400, 400, None, "mg/L", "NaCl")
        self.assertAlmostEqual(
            judge_by_sets(salt, "chloride", sets("us-aquatic"))[0]["margin"], 230 - 400 * 35.45 / 58.44
        )


class LadderAndUsual(TestCase):
    def test_every_rung_says_what_determine_says(self):
        drawn = ladder(LOW.main, LOW.agreement, 2.0)
        lows, rungs = drawn["lows"], drawn["rungs"]
        self.assertEqual((len(rungs), len(lows)), (25, 25))
        self.assertEqual([rungs[14][key] for key in ("value", "least", "agrees")], [120, 104, [13, 17]])
        self.assertEqual(rungs[14]["high"], LOW.main.determine({"count": 15}, 2.0).quantity.high)
        for number, rung in enumerate(rungs):
            for enough in range(number + 1):
                reading = {"count": number + 1, "first_change": enough + 1}
                self.assertEqual(min(lows[enough], rung["least"]), LOW.main.determine(reading, 2.0).quantity.low)

    def test_a_first_unit_within_the_background_is_less_than_one(self):
        method = next(each for each in house_methods().values() if getattr(each.main.numbers, "background", 0))
        rung = ladder(method.main, method.agreement, 1.0)["rungs"][0]
        self.assertEqual((rung["censor"], rung["value"]), ("<", method.main.per))

    def test_a_range_of_two_hundred_is_no_burden(self):
        numbers = LOW.main.numbers.model_copy(update={"stop_at": 200})
        long = LOW.main.model_copy(update={"numbers": numbers})
        self.assertLess(len(json.dumps(ladder(long, LOW.agreement, 1.0))), 30_000)

    def test_usual_is_learnt_from_eight_results(self):
        self.assertIsNone(usual_range([24.0] * 7))
        usual = usual_range([20, 22, 24, 26, 28, 30, 32, 34, 36, 38, 900])
        self.assertEqual((usual.median, usual.low, usual.high, usual.n), (30, 21.8, 36.2, 11))
        self.assertTrue(is_unusual(Quantity(100, 96, 100, None, "mg/L"), usual, "chloride"))
        self.assertFalse(is_unusual(Quantity(52, 48, 56, None, "mg/L"), usual, "chloride"))
        self.assertFalse(is_unusual(Quantity(12, 12, None, ">", "mg/L"), usual, "chloride"))

    def test_a_ph_is_unusual_by_its_difference_and_not_in_proportion(self):
        usual = usual_range([7.5, 7.5, 7.6, 7.6, 7.6, 7.6, 7.7, 7.7, 7.7])
        seen = {
            value: is_unusual(Quantity(value, value, value, None, "pH"), usual, "pH")
            for value in (4.9, 6.0, 7, 8.4, 9.5)
        }
        self.assertEqual(seen, {4.9: True, 6.0: True, 7: False, 8.4: False, 9.5: True})

    def test_a_card_settles_no_acute_limit_by_its_value(self):
        strip = house_methods()["nitrate-strip"]
        part = strip.part("nitrate")
        read = conclude(strip, part, {1: {"at": 50}}).quantity
        rule = rule_for(part.parameter, None, screened=strip.screening)
        self.assertEqual(overall(judge_by_sets(read, "nitrate", sets("eu-2020"), rule))["verdict"], "not settled")
        photometer = house_methods()["nitrate-photometer"]
        self.assertIsNone(rule_for(photometer.main.parameter, None, screened=photometer.screening))
        copper = house_methods()["copper-comparator"]
        apart = conclude(copper, copper.main, {1: {"at": 0.7}, 2: {"at": 1.5}, 3: {"at": 3}})
        self.assertEqual(apart.state, "not agreed")
        judged = judge_by_sets(apart.quantity, "copper", sets("eu-2020"))
        self.assertEqual({each["verdict"] for each in unsettled(judged)} & {"inside", "close"}, set())

    def test_a_standard_that_a_coarse_count_cannot_tell_is_good(self):
        found = conclude(LOW, LOW.main, {1: run(6), 2: run(6)}, GOOD).quantity
        self.assertEqual((check_standard(found, 20).percent, check_standard(found, 20).good), (120, True))
        self.assertFalse(check_standard(found, 50).good)
