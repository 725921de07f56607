"""Every kind of reading beside the count, dilutions and quality runs: by hand, at their edges, and with bad input."""

import json
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from kessa.core.calc.lines import answer_line
from kessa.core.readings import KINDS

SCALE = {"kind": "scale", "unit": "mg/L", "steps": [0.1, 0.2, 0.5, 1]}
CHART = {"kind": "chart", "unit": "mg/L", "pairs": [[1, 10], [2, 30], [3, 70]]}
PHOTOMETER = {"kind": "photometer", "unit": "mg/L", "range": [0.1, 2], "slope": 0.5}
METER = {"kind": "meter", "unit": "uS/cm", "resolution": 2}
VOLUME = {"kind": "volume", "unit": "mg/L", "normality": 0.02, "eq_weight": 50, "sample_ml": 100, "resolution_ml": 0.1}
DIRECT = {"kind": "direct", "unit": "mg/L", "multiplier": 10, "resolution": 0.02, "full_scale": 1}
DROPS = {"kind": "difference", "unit": "drops"}
DEPTH = {"kind": "depth", "unit": "m"}


def ask(op, **request):
    return json.loads(answer_line(json.dumps({"op": op, **request})))


def determined(method, dilution=1, **reading):
    return ask("determine", method=method, reading=reading, dilution=dilution)


class Kinds(TestCase):
    def test_by_hand(self):
        for method, reading, value, low, high, censor in (
            (VOLUME, {"ml": 5}, 50, 49.5, 50.5, None),
            ({**VOLUME, "blank_ml": 6}, {"ml": 5}, 0, 0, 0, None),
            (DIRECT, {"scale": 1, "fills": 2}, 30, 29.9, 30.1, None),
            (DIRECT, {"scale": 0}, 0, 0, 0.1, None),
            (DROPS, {"system": 9, "supply": 2}, 7, 6, 8, None),
            (SCALE, {"at": 0.1}, 0.1, 0.1, 0.15, None),
            (SCALE, {"between": [0.2, 0.5]}, 0.35, 0.2, 0.5, None),
            ({**SCALE, "between": "lower"}, {"between": [0.2, 0.5], "fraction": 0.9}, 0.2, 0.2, 0.5, None),
            ({**SCALE, "steps": [0, 1]}, {"below": True}, 0, 0, 0, "<"),
            ({**SCALE, "steps": [4]}, {"at": 4}, 4, 4, 4, None),
            (CHART, {"mark": 1.5}, 30, 20, 50, None),
            (CHART, {"mark": 1.49}, 10, 10, 20, None),
            ({**CHART, "rule": "interpolate"}, {"mark": 2}, 30, 20, 50, None),
            ({**CHART, "rule": "interpolate"}, {"mark": 1.25}, 15, 10, 30, None),
            (CHART, {"mark": -1}, 10, 0, 10, "<"),
            (CHART, {"mark": 3.1}, 70, 70, None, ">"),
            (PHOTOMETER, {"absorbance": 0.5, "path_mm": 20}, 0.5, 0.5, 0.5, None),
            (PHOTOMETER, {"display": 2}, 2, 2, 2, None),
            (PHOTOMETER, {"absorbance": -0.1}, 0.1, 0, 0.1, "<"),
            ({**PHOTOMETER, "reagent_blank": 0.05}, {"display": 0.12}, 0.1, 0, 0.1, "<"),
            (PHOTOMETER, {"over": True}, 2, 2, None, ">"),
            (METER, {"display": 1.43, "display_unit": "mS/cm"}, 1430, 1429, 1431, None),
            ({**METER, "per_degree": 0.02}, {"display": 900, "temperature_c": 20}, 1000, 999, 1001, None),
            ({"kind": "meter", "unit": "degC", "resolution": 1}, {"display": -5}, -5, -5.5, -4.5, None),
            ({"kind": "meter", "unit": "pH", "resolution": 0.1}, {"display": 7}, 7, 6.95, 7.05, None),
            (DEPTH, {"down": 3, "up": 2, "bottom_visible": True}, 3, 3, None, ">"),
            ({**SCALE, "ends": "open"}, {"at": 0.1}, 0.1, 0, 0.1, "<"),
            ({**SCALE, "ends": "open"}, {"at": 1}, 1, 1, None, ">"),
            (
                {"kind": "difference", "unit": "drops"},
                {"system": 2, "supply": 9, "system_end": False},
                -7,
                -7,
                None,
                ">",
            ),
            ({"kind": "count", "unit": "mg/L", "per": 4}, {"count": 3, "blank": 9}, 12, 0, 12, None),
        ):
            with self.subTest(method=method, reading=reading):
                answer = determined(method, **reading)["answer"]
                self.assertAlmostEqual(answer["value"], value)
                self.assertAlmostEqual(answer["low"], low)
                self.assertEqual(answer["censor"], censor)
                self.assertTrue(answer["high"] is None if high is None else abs(answer["high"] - high) < 1e-9)
                self.assertTrue(all(answer["working"]))

    def test_what_is_wrong_is_named(self):
        for method, reading, field in (
            (VOLUME, {"ml": -0.1}, "ml"),
            ({**VOLUME, "sample_ml": 0}, {"ml": 1}, "sample_ml"),
            ({**VOLUME, "normality": 1e300, "eq_weight": 1e300}, {"ml": 1}, "sample_ml"),
            (DIRECT, {"scale": 1.01}, "scale"),
            (DIRECT, {"scale": -1}, "scale"),
            ({**DIRECT, "full_scale": None}, {"scale": 0, "fills": 1}, "full_scale"),
            (DIRECT, {"scale": 0.5, "fills": 1.5}, "fills"),
            (SCALE, {"at": 0.3}, "at"),
            (SCALE, {"between": [0.1, 0.5]}, "between"),
            (SCALE, {"between": [0.5, 0.2]}, "between"),
            (SCALE, {"between": [0.2]}, "between"),
            (SCALE, {"between": [0.2, 0.5], "fraction": 1.1}, "fraction"),
            (SCALE, {"at": 0.1, "above": True}, "reading"),
            (SCALE, {"fraction": 0.5}, "reading"),
            (SCALE, {"below": False}, "reading"),
            ({**SCALE, "steps": []}, {"below": True}, "steps"),
            ({**SCALE, "steps": [1, 1]}, {"at": 1}, "steps"),
            ({**CHART, "pairs": [[1, 10], [2]]}, {"mark": 1}, "pairs"),
            ({**CHART, "pairs": [[2, 10], [1, 20]]}, {"mark": 1}, "pairs"),
            ({**CHART, "rule": "guess"}, {"mark": 1}, "rule"),
            (CHART, {"mark": "1"}, "mark"),
            (PHOTOMETER, {"display": -1}, "display"),
            (PHOTOMETER, {"display": 1, "absorbance": 1}, "reading"),
            (PHOTOMETER, {"over": False}, "reading"),
            ({**PHOTOMETER, "slope": None}, {"absorbance": 0.1}, "slope"),
            ({**PHOTOMETER, "slope": 0}, {"display": 1}, "slope"),
            ({**PHOTOMETER, "range": [2, 0.1]}, {"display": 1}, "range"),
            (PHOTOMETER, {"absorbance": 0.1, "path_mm": 0}, "path_mm"),
            (METER, {"display": -1}, "display"),
            (METER, {"display": 1, "display_unit": "NTU"}, "display_unit"),
            (METER, {"display": 1, "display_unit": "furlong"}, "display_unit"),
            ({**METER, "per_degree": 0.02}, {"display": 1}, "temperature_c"),
            ({**METER, "per_degree": 0.02}, {"display": 1, "temperature_c": -100}, "temperature_c"),
            (DEPTH, {"down": 1}, "up"),
            (DEPTH, {"down": 1, "up": 2, "bottom_visible": "yes"}, "bottom_visible"),
            (DROPS, {"system": 3, "supply": -1}, "supply"),
            (DROPS, {"system": 3, "supply": 9, "supply_end": False}, "supply_end"),
            ({**SCALE, "ends": "shut"}, {"at": 0.1}, "ends"),
            ({"kind": "count", "unit": "mg/L", "per": 4, "unit_ratio": 0}, {"count": 1}, "unit_ratio"),
            ({"kind": "count", "unit": "mg/L", "per": 4}, {"count": 1, "blank": 0.5}, "blank"),
            ({"kind": "chart", "unit": "mg/L"}, {"mark": 1}, "pairs"),
        ):
            with self.subTest(method=method, reading=reading):
                self.assertEqual(determined(method, **reading)["field"], field)

    @given(
        st.sampled_from(sorted(KINDS)),
        st.dictionaries(st.sampled_from(["ml", "at", "mark", "display", "down", "scale", "above"]), st.floats()),
        st.dictionaries(st.sampled_from(["steps", "pairs", "range", "slope", "per", "unit"]), st.text(max_size=4)),
    )
    def test_any_method_and_reading_is_an_answer_or_a_sentence(self, kind, reading, numbers):
        reply = determined({"kind": kind, "unit": "mg/L", **numbers}, **reading)
        self.assertTrue(reply["ok"] or (reply["error"] and reply["field"]))


class Dilutions(TestCase):
    def test_the_least_that_brings_it_into_the_range(self):
        plan = {"range": [0.2, 3.5], "make_ml": 50}
        self.assertEqual(ask("dilute", estimate=2.8, **plan)["answer"]["factor"], 1)
        self.assertEqual(ask("dilute", estimate=2.81, **plan)["answer"]["factor"], 2)
        self.assertEqual(ask("dilute", estimate=14, **plan)["answer"]["take_ml"], 10)
        for change, field in (
            ({"estimate": -1}, "estimate"),
            ({"estimate": 0.1}, "estimate"),
            ({"estimate": 9, "factors": [0.5]}, "factors"),
            ({"estimate": 9, "factors": []}, "factors"),
            ({"estimate": 9, "range": [3.5, 0.2]}, "range"),
            ({"estimate": 9, "make_ml": 0}, "make_ml"),
        ):
            self.assertEqual(ask("dilute", **(plan | change))["field"], field, change)

    def test_a_standard_in_one_step_or_two(self):
        one = ask("standard", stock=100, want=5, make_ml=50)["answer"]
        self.assertEqual((one["take_ml"], one["water_ml"], "intermediate" in one), (2.5, 47.5, False))
        two = ask("standard", stock=1000, want=1, make_ml=100)["answer"]
        self.assertEqual(two["intermediate"], {"take_ml": 1, "make_ml": 10, "strength": 100})
        self.assertEqual(two["take_ml"], 1)
        coarse = ask("standard", stock=100, want=0.9, make_ml=10, smallest_ml=9)["answer"]
        self.assertEqual((coarse["take_ml"], coarse["intermediate"]["strength"]), (9, 1))
        self.assertEqual(ask("standard", stock=100, want=30, make_ml=1, smallest_ml=2)["field"], "smallest_ml")

    def test_recovery_and_spike(self):
        self.assertEqual(ask("recovery", found=8.5, expected=10)["answer"], {"percent": 85, "verdict": "inside"})
        self.assertEqual(ask("recovery", found=8, expected=10, low=90, high=80)["field"], "low")
        spike = {"sample": 1, "spiked": 2, "sample_ml": 90, "added_ml": 10, "added_strength": 11}
        self.assertAlmostEqual(ask("spike", **spike)["answer"]["percent"], 100)
        self.assertEqual(ask("spike", **(spike | {"spiked": -1}))["field"], "spiked")
