"""The core through its plain door, held to known answers and to hostile input."""

import json
import math
import subprocess
from pathlib import Path
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from kessa.core.calc.lines import answer_line
from tests.core.answers import KNOWN, OWN, questions, reply
from tests.core.world import seconds_of_children

ROOT = Path(__file__).resolve().parents[2]
COUNT = {"kind": "count", "unit": "mg/L", "per": 4, "stop_at": 25}


def ask(**request):
    return json.loads(answer_line(json.dumps(request)))


def agrees(got, wanted, tolerance):
    if isinstance(wanted, float | int) and not isinstance(wanted, bool):
        return isinstance(got, float | int) and math.isclose(got, wanted, rel_tol=tolerance, abs_tol=1e-12)
    if isinstance(wanted, list):
        return len(got) == len(wanted) and all(agrees(g, w, tolerance) for g, w in zip(got, wanted, strict=True))
    if isinstance(wanted, dict):
        return isinstance(got, dict) and all(agrees(got.get(key), value, tolerance) for key, value in wanted.items())
    return got == wanted


class KnownAnswers(TestCase):
    def test_every_known_answer_of_the_ops_there_are(self):
        checked = 0
        for file in sorted(KNOWN.glob("*.jsonl")):
            for line in file.read_text().splitlines():
                case = json.loads(line)
                checked += 1
                with self.subTest(case["request"]):
                    reply = ask(**case["request"])
                    if "fails" in case:
                        self.assertFalse(reply["ok"])
                        self.assertEqual(reply["field"], case["fails"])
                    else:
                        for field, wanted in case["answer"].items():
                            self.assertTrue(
                                agrees(reply["answer"][field], wanted, case.get("tolerance", 1e-6)), (field, reply)
                            )
        self.assertGreater(checked, 50)


class OwnAnswers(TestCase):
    def test_no_answer_moved_unnoticed(self):
        written = [json.loads(line) for line in OWN.read_text().splitlines()]
        self.assertEqual([each["request"] for each in written], json.loads(json.dumps(questions())))
        for each in written:
            now, kept = reply(each["request"]), {key: value for key, value in each.items() if key != "request"}
            with self.subTest(each["request"]):
                self.assertTrue(agrees(json.loads(json.dumps(now)), kept, 1e-6), (now, kept))


class Convert(TestCase):
    def value(self, *args):
        value, unit, form, to_unit, to_form = args
        reply = ask(op="convert", value=value, unit=unit, **{"as": form}, to_unit=to_unit, to_as=to_form)
        return reply["answer"]["value"] if reply["ok"] else reply["field"]

    def test_by_hand(self):
        for case, wanted in {
            (2, "mg/L", "N", "mg/L", "NO3"): 2 * 62.004 / 14.007,
            (1, "mg/L", "P2O5", "mg/L", "P"): 2 * 30.974 / 141.943,
            (1, "mmol/L", "P2O5", "mmol/L", "P"): 2,
            (1, "mmol/L", "CaCO3", "meq/L", None): 2,
            (1, "dH", None, "mg/L", "CaO"): 10,
            (1, "fH", None, "mg/L", None): 10,
            (1, "gpg", None, "mg/L", "CaCO3"): 17.118061,
            (1, "eH", None, "mg/L", "CaCO3"): 14.253767,
            (1, "dH", None, "mmol/L", None): 10 / 56.077,
            (50.043, "mg/L", "CaCO3", "meq/L", None): 1,
            (32, "degF", None, "degC", None): 0,
            (0, "K", None, "degC", None): -273.15,
            (1.4, "mS/cm", None, "uS/cm", None): 1400,
            (12, "in", None, "ft", None): 1,
            (5, "mg/L", None, "ppb", None): 5000,
        }.items():
            with self.subTest(case):
                self.assertTrue(agrees(self.value(*case), wanted, 1e-6), (self.value(*case), wanted))

    def test_what_cannot_be_converted_names_the_field(self):
        for case, field in {
            (1, "mg/L", "Cl2", "mg/L", "Cl"): "to_as",
            (1, "mg/L", "N", "dH", None): "to_unit",
            (1, "meq/L", "N", "mg/L", None): "unit",
            (1, "mg/L", None, "mmol/L", None): "as",
            (1, "mg/L", None, "degC", None): "to_unit",
            (1, "degC", "N", "degF", None): "as",
            (1, "mg/L", "no3", "mg/L", None): "as",
            (-1, "mg/L", None, "g/L", None): "value",
            (-1, "K", None, "degC", None): "value",
            (1e308, "g/L", None, "ug/L", None): "value",
            (True, "mg/L", None, "g/L", None): "value",
            (1, "NTU", None, "FNU", None): "to_unit",
        }.items():
            with self.subTest(case):
                self.assertEqual(self.value(*case), field)

    @given(
        st.floats(1e-6, 1e6),
        st.sampled_from(["mg/L", "ug/L", "mmol/L", "meq/L", "dH", "gpg", "fH", "eH"]),
        st.sampled_from(["CaCO3", "Ca", "Mg", "HCO3", "OH", "CaO"]),
        st.sampled_from(["mg/L", "g/L", "mmol/L", "meq/L", "dH", "eH"]),
        st.sampled_from(["CaCO3", "Ca", "CO3", "OH"]),
    )
    def test_there_and_back(self, value, unit, form, to_unit, to_form):
        there = self.value(value, unit, form, to_unit, to_form)
        self.assertTrue(agrees(self.value(there, to_unit, to_form, unit, form), value, 1e-9))


class Determine(TestCase):
    def answer(self, method=COUNT, dilution=1, **reading):
        return ask(op="determine", method=method, reading=reading, dilution=dilution)

    def test_a_count_is_an_interval(self):
        answer = self.answer(count=7, first_change=6)["answer"]
        self.assertEqual((answer["value"], answer["low"], answer["high"]), (28, 20, 28))
        self.assertTrue(answer["working"])
        midpoint = self.answer({**COUNT, "report": "midpoint", "background": 1}, count=7)["answer"]
        self.assertEqual((midpoint["value"], midpoint["low"], midpoint["high"]), (22, 20, 24))

    def test_precision_widens_but_not_below_nothing(self):
        answer = self.answer({**COUNT, "precision_abs": 6, "precision_percent": 10}, 2, count=1)["answer"]
        self.assertEqual((answer["low"], answer["value"], answer["high"]), (0, 8, 20))

    def test_what_is_wrong_is_named(self):
        for reading, field in (
            ({"count": 26}, "count"),
            ({"count": 2.5}, "count"),
            ({"count": None}, "reading"),
            ({"tablets": 3}, "reading"),
            ({"count": 3, "tablets": 3}, "tablets"),
            ({"count": 3, "first_change": 4}, "first_change"),
            ({"count": 3, "endpoint": 1}, "endpoint"),
            ({"endpoint": False}, "count"),
        ):
            with self.subTest(reading):
                self.assertEqual(self.answer(**reading)["field"], field)
        for method, field in (
            ({**COUNT, "per": 0}, "per"),
            ({**COUNT, "perr": 1}, "perr"),
            ({**COUNT, "kind": "guess"}, "kind"),
            ({**COUNT, "report": "mean"}, "report"),
            ({"kind": "count", "per": 4}, "unit"),
        ):
            with self.subTest(method):
                self.assertEqual(self.answer(method, count=3)["field"], field)
        self.assertEqual(self.answer(dilution=0.5, count=3)["field"], "dilution")


class Judge(TestCase):
    def test_the_rules_side_by_side(self):
        upper, lower = {"max": 120}, {"min": 120}
        for (value, low, high, censor), limit, simple, guarded in (
            ((100, 96, 100, None), upper, "inside", "inside"),
            ((110, 100, 110, None), upper, "close", "close"),
            ((120, 116, 124, None), upper, "close", "not settled"),
            ((125, 118, 125, None), upper, "outside", "not settled"),
            ((130, 122, 130, None), upper, "outside", "outside"),
            ((100, 100, None, ">"), upper, "not settled", "not settled"),
            ((120, 120, None, ">"), upper, "outside", "outside"),
            ((4, 0, 4, "<"), upper, "inside", "inside"),
            ((130, 0, 130, "<"), upper, "not settled", "not settled"),
            ((4, 0, 4, "<"), lower, "outside", "outside"),
            ((120, 0, 120, "<"), lower, "not settled", "not settled"),
            ((120, 120, None, ">"), lower, "inside", "inside"),
            ((100, 100, None, ">"), lower, "not settled", "not settled"),
            ((0.1 * 3, 0.1 * 3, 0.1 * 3, None), {"max": 0.3}, "close", "close"),
        ):
            result = {"value": value, "low": low, "high": high, "censor": censor}
            for rule, wanted in (("simple", simple), ("guarded", guarded)):
                with self.subTest(result=result, limit=limit, rule=rule):
                    reply = ask(op="judge", result=result, limit=limit, rule=rule)
                    self.assertEqual(reply["answer"]["verdict"], wanted)

    def test_what_is_wrong_is_named(self):
        good = {"value": 3, "low": 2, "high": 4, "censor": None}
        for request, field in (
            ({"result": {**good, "low": 3.5}}, "low"),
            ({"result": {**good, "high": 2.5}}, "high"),
            ({"result": {**good, "censor": "="}}, "censor"),
            ({"limit": {"max": 1, "min": 2}}, "limit"),
            ({"limit": {"top": 1}}, "top"),
            ({"near": 1.5}, "near"),
            ({"rule": "strict"}, "rule"),
        ):
            with self.subTest(request):
                self.assertEqual(ask(**{"op": "judge", "result": good, "limit": {"max": 5}, **request})["field"], field)


class Replicates(TestCase):
    def test_the_closest_pair_by_the_rules_own_measure(self):
        answer = ask(op="replicates", values=[10, 13, 100, 104], within=5, rule="relative")["answer"]
        self.assertEqual((answer["state"], answer["used"], answer["value"]), ("agreed", [2, 3], 102))
        self.assertEqual(ask(op="replicates", values=[0, 0], within=0, rule="relative")["answer"]["spread"], 0)
        unlike = ask(op="replicates", values=[-1, 1], within=5, rule="relative")["answer"]
        self.assertEqual((unlike["state"], unlike["value"], unlike["spread"]), ("run again", 0, None))

    def test_equally_close_pairs_count_together_and_a_floor_forgives(self):
        tied = ask(op="replicates", values=[5, 8, 11, 20], within=1)["answer"]
        self.assertEqual((tied["state"], tied["used"], tied["value"], tied["spread"]), ("not agreed", [0, 1, 2], 8, 3))
        near = ask(op="replicates", values=[0.05, 0.07, 0.4], within=1, rule="relative", floor=0.02)["answer"]
        self.assertEqual((near["state"], near["used"]), ("agreed", [0, 1]))
        self.assertEqual(ask(op="replicates", values=[1], within=1, rule="steps", steps=[2, 1])["field"], "steps")


class Library(TestCase):
    def test_a_described_method_is_one_that_determine_takes(self):
        described = ask(op="methods")["answer"]["methods"]
        self.assertEqual([each["key"] for each in described], sorted(each["key"] for each in described))
        for each in described:
            for part in each["parts"]:
                method = {**{name: part[name] for name in ("kind", "unit", "as")}, **part["numbers"]}
                self.assertEqual(ask(op="determine", method=method, reading={})["field"], "reading", each["key"])
        family = ask(op="methods", family="chloride-drops")["answer"]["methods"]
        self.assertEqual({each["agreement"]["rule"] for each in family}, {"units"})
        self.assertEqual(len(ask(op="methods", key="ph-strip")["answer"]["methods"]), 1)
        self.assertEqual(ask(op="methods", key="alchemy")["field"], "key")

    def test_what_the_bench_would_write(self):
        runs = [{"count": 12}, {"count": 11, "first_change": 10}]
        answer = ask(op="conclude", method="chloride-drops-25", readings=runs, blank=1)["answer"]
        self.assertEqual((answer["state"], answer["used"], answer["value"]), ("agreed", [0, 1], 46))
        # The mean of 48 less two drops and of (10 − 1 − a blank of 1) × 4; of 52.4 and 47.9, by the squares.
        self.assertEqual((answer["low"], round(answer["high"], 2), answer["flags"]), (36, 50.15, []))
        alone = ask(op="conclude", method="chloride-drops-25", readings=runs[:1])["answer"]
        self.assertEqual((alone["state"], alone["flags"]), ("run again", ["blank-missing", "one-run"]))
        for request, field in (
            ({"method": "alchemy"}, "method"),
            ({"part": "other"}, "part"),
            ({"readings": []}, "readings"),
            ({"readings": [{"tablets": 3}]}, "tablets"),
            ({"readings": [{"count": 26}]}, "count"),
            ({"blank": -1}, "blank"),
            ({"dilution": 0}, "dilution"),
        ):
            good = {"method": "chloride-drops-25", "readings": runs}
            self.assertEqual(ask(**{"op": "conclude", **good, **request})["field"], field, request)


class Door(TestCase):
    def test_whatever_comes_in_an_answer_goes_out(self):
        for line in (
            b"{",
            b"\xff\xfe",
            b"[" * 100_000,
            b"nul",
            b'"\\ud800"',
            b"[1, 2]",
            b'{"op": "convert", "value": 1e999, "unit": "mg/L", "to_unit": "g/L"}',
            b'{"op": "convert", "value": ' + b"9" * 5000 + b', "unit": "mg/L", "to_unit": "g/L"}',
            b'{"op": "convert", "value": NaN, "unit": "mg/L", "to_unit": "g/L"}',
            b'{"op": ["convert"]}',
            b'{"id": [Infinity], "op": "judge"}',
            b'{"op": "determine", "method": {"kind": {}}, "reading": 3}',
            b'{"op": "judge", "result": {"value": 1e308, "low": 0, "high": 1e308}, "limit": {"min": -1e308}}',
            b'{"op": "convert", "value": 1, "unit": {}, "to_unit": []}',
        ):
            with self.subTest(line[:60]):
                reply = json.loads(answer_line(line))
                self.assertFalse(reply["ok"])
                self.assertTrue(reply["error"])

    def test_a_misspelt_argument_is_an_error_and_null_is_absent(self):
        self.assertEqual(ask(op="convert", value=1, unit="mg/L", to_unit="g/L", form="N")["field"], "form")
        self.assertTrue(ask(op="convert", value=1, unit="mg/L", to_unit="g/L", form=None)["ok"])
        self.assertEqual(ask(id={"a": 1}, op="oxygen"), {**ask(op="oxygen"), "id": {"a": 1}})

    @settings(max_examples=300)
    @given(
        st.fixed_dictionaries(
            {"op": st.sampled_from(["convert", "determine", "replicates", "judge"])},
            optional={
                name: st.recursive(
                    st.none() | st.booleans() | st.floats() | st.integers() | st.text(max_size=5),
                    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=8), inner, max_size=3),
                    max_leaves=6,
                )
                for name in ("value", "unit", "method", "reading", "values", "within", "result", "limit", "near")
            },
        )
    )
    def test_random_requests_are_answered(self, request):
        reply = json.loads(answer_line(json.dumps(request)))
        self.assertTrue(reply["ok"] or (reply["error"] and isinstance(reply["field"], str)))

    def test_a_stream_through_the_shell_and_quickly(self):
        line = json.dumps({"op": "convert", "value": 1, "unit": "dH", "to_unit": "mg/L"})
        began = seconds_of_children()
        done = subprocess.run(
            [ROOT / "bin" / "calc"], input=f"{line}\n\n{{\n", capture_output=True, text=True, check=True
        )
        self.assertLess(seconds_of_children() - began, 3)
        self.assertEqual([json.loads(reply)["ok"] for reply in done.stdout.splitlines()], [True, False])
        many = f"{line}\n" * 10_000
        done = subprocess.run([ROOT / "bin" / "calc"], input=many, capture_output=True, text=True, check=True)
        self.assertEqual(done.stdout.count("17.847"), 10_000)
