"""What must hold for any numbers, against the plainest way to say it."""

import math
from itertools import combinations
from unittest import TestCase

from hypothesis import assume, given
from hypothesis import strategies as st

from kessa.core.derived.ammonia import unionised_ammonia
from kessa.core.derived.loads import load_kg_day
from kessa.core.derived.oxygen import oxygen_saturation, pressure_at
from kessa.core.errors import CannotCompute
from kessa.core.judging.judge import VERDICTS, Bounds, Interval, judge
from kessa.core.methods.replicates import Rule, agree
from kessa.core.quantities.measured import Measured
from kessa.core.quantities.units import AROUND, UNITS, convert
from kessa.core.readings import determine
from kessa.core.runs.recovery import recovery
from kessa.core.treating.dosing import raise_level
from kessa.core.treating.volumes import water_in_well

amounts = st.floats(0, 1e6).map(lambda number: round(number, 4))
methods = st.fixed_dictionaries(
    {"kind": st.just("count"), "unit": st.just("mg/L"), "per": st.floats(0.01, 500)},
    optional={
        "background": st.integers(0, 5),
        "report": st.sampled_from(["count", "midpoint"]),
        "precision_percent": st.floats(0, 50),
        "precision_abs": st.floats(0, 50),
        "next_range": st.just("wide"),
    },
)


class Counts(TestCase):
    @given(methods, st.integers(0, 60), st.floats(1, 100), st.data())
    def test_the_value_lies_in_its_interval_and_dilution_multiplies(self, method, count, dilution, data):
        first_change = data.draw(st.none() | st.integers(0, count))
        reading = {"count": count, "first_change": first_change}
        plain = {**method, "precision_percent": 0, "precision_abs": 0}
        result, working = determine(method, reading, dilution).quantity, determine(method, reading, dilution).working
        self.assertTrue(0 <= result.low <= result.value <= result.high)
        self.assertTrue(working and all(line.strip() for line in working))
        once, many = determine(plain, reading, 1).quantity, determine(plain, reading, dilution).quantity
        self.assertAlmostEqual(many.value, once.value * dilution, delta=1e-9 * (1 + many.value))
        self.assertTrue(result.low <= many.low + 1e-9 and many.high <= result.high + 1e-9)
        self.assertEqual(result.censor, "<" if count <= method.get("background", 0) else None)

    @given(methods, st.integers(6, 60))
    def test_one_more_drop_is_never_less(self, method, count):
        one, two = (determine(method, {"count": each}).quantity for each in (count, count + 1))
        self.assertTrue(one.value <= two.value and one.low <= two.low + 1e-9 and one.high <= two.high)

    @given(methods, st.integers(0, 60), st.floats(1, 100))
    def test_no_end_is_a_floor_as_high_as_the_same_count_with_one(self, method, count, dilution):
        found = determine(method, {"count": count, "endpoint": False}, dilution)
        self.assertEqual((found.quantity.censor, found.quantity.high), (">", None))
        self.assertEqual(found.next, "higher range" if "next_range" in method else "dilute")
        self.assertEqual(found.quantity.value, found.quantity.low)
        expected = method["per"] * max(count - method.get("background", 0), 0) * dilution
        self.assertAlmostEqual(found.quantity.value, expected, delta=1e-9 * (1 + expected))


class Judgements(TestCase):
    @given(amounts, amounts, amounts, amounts, st.sampled_from(["simple", "guarded"]))
    def test_a_band_is_its_two_limits_and_a_guarded_inside_is_inside_throughout(self, a, b, c, bound, rule):
        low, value, high = sorted((a, b, c))
        result = Interval(value, low, high, None)
        for limit in (Bounds(max=bound), Bounds(min=bound)):
            verdict, margin = judge(result, limit, rule)
            inside = (value, low, high) if rule == "guarded" else (value,)
            fits = [each <= bound if limit.max is not None else each >= bound for each in inside]
            if verdict in ("inside", "close"):
                self.assertTrue(all(fits) or abs(margin) <= 1e-9 * max(value, bound))
            if all(fits):
                self.assertIn(verdict, ("inside", "close"))
            self.assertEqual(margin, bound - value if limit.max is not None else value - bound)
        band = judge(result, Bounds(bound, bound + 10), rule)
        sides = judge(result, Bounds(min=bound), rule), judge(result, Bounds(max=bound + 10), rule)
        gravest = max((side[0] for side in sides), key=VERDICTS.index)
        if gravest in ("not settled", "outside"):
            self.assertEqual(band[0], gravest)
        self.assertEqual(band[1], min(sides[0][1], sides[1][1]))

    def test_an_interval_that_ends_at_the_limit_does_not_pass_it(self):
        for low, high, bounds, verdict in (
            (120, 130, Bounds(max=120), "not settled"),
            (110, 120, Bounds(max=120), "inside"),
            (121, 130, Bounds(max=120), "outside"),
            (110, 120, Bounds(min=120), "not settled"),
            (120, 130, Bounds(min=120), "inside"),
            (110, 119, Bounds(min=120), "outside"),
        ):
            with self.subTest(low=low, high=high, bounds=bounds):
                found = judge(Interval((low + high) / 2, low, high, None), bounds, "guarded")[0]
                self.assertEqual("inside" if found == "close" else found, verdict)

    @given(amounts, amounts, st.sampled_from(["simple", "guarded"]))
    def test_a_censored_result_never_claims_what_it_cannot_know(self, value, bound, rule):
        assume(abs(value - bound) > 1e-3)
        below, above = Interval(value, 0, value, "<"), Interval(value, value, None, ">")
        self.assertIn(judge(below, Bounds(max=bound), rule)[0], ("inside", "not settled"))
        self.assertIn(judge(above, Bounds(max=bound), rule)[0], ("outside", "not settled"))
        self.assertIn(judge(above, Bounds(min=bound), rule)[0], ("inside", "not settled"))
        if bound > 0:
            self.assertIn(judge(below, Bounds(min=bound), rule)[0], ("outside", "not settled"))


class Agreements(TestCase):
    @given(st.lists(st.integers(0, 400), min_size=2, max_size=8), st.integers(0, 30), st.integers(1, 5))
    def test_the_closest_pair_in_whole_drops(self, counts, within, per):
        answer = agree([count * per for count in counts], Rule("units", within, per), most=4)
        apart = {pair: abs(counts[pair[0]] - counts[pair[1]]) for pair in combinations(range(len(counts)), 2)}
        closest = min(apart.values())
        chosen = {index for pair, distance in apart.items() if distance == closest for index in pair}
        self.assertEqual(answer.used, tuple(sorted(chosen)))
        self.assertEqual(answer.spread, closest * per)
        agreed = closest <= within
        self.assertEqual(answer.state, "agreed" if agreed else "run again" if len(counts) < 4 else "not agreed")


class Arguments(TestCase):
    """What a function takes: in any unit of its dimension, within where it holds, or refused by the argument's name."""

    def test_other_units_are_converted_and_what_cannot_be_is_named(self):
        warm, high = Measured(53.6, "degF"), pressure_at(Measured(984.252, "ft"))
        self.assertAlmostEqual(oxygen_saturation(warm, 0, high), oxygen_saturation(12, 0, pressure_at(300)), 6)
        self.assertAlmostEqual(
            oxygen_saturation(12, pressure_kpa=Measured(977.7, "hPa")), oxygen_saturation(12, 0, 97.77)
        )
        self.assertAlmostEqual(load_kg_day(Measured(2, "mg/L"), Measured(60, "L/min")), 0.1728)
        self.assertAlmostEqual(
            unionised_ammonia(Measured(1, "mg/L", "NH3"), 8, 20)[0], unionised_ammonia(0.82245, 8, 20)[0], 5
        )
        self.assertEqual(recovery(8.5, 10), (85.0, "inside"))
        for call, field in (
            (lambda: oxygen_saturation(Measured(3, "m")), "temperature_c"),
            (lambda: oxygen_saturation(45.1), "temperature_c"),
            (lambda: oxygen_saturation(12, 0, Measured(700, "hPa", "N")), "pressure_kpa"),
            (lambda: load_kg_day(1, math.nan), "flow_l_s"),
            (lambda: load_kg_day(-1e-9, 1), "value"),
            (lambda: load_kg_day(True, 1), "value"),
            (lambda: water_in_well(0, 150), "standing_m"),
            (lambda: recovery(Measured(1, "mg/L"), 2), "found"),
            (lambda: raise_level(1, 2, 3, 0), "active_percent"),
            (lambda: raise_level(1, 2, 3, 100.1), "active_percent"),
            (lambda: raise_level(1, 2, 3, 50, 0), "density_kg_l"),
            (lambda: Measured("12", "m"), "value"),
        ):
            with self.subTest(field=field), self.assertRaises(CannotCompute) as refused:
                call()
            self.assertEqual(refused.exception.field, field)
        self.assertEqual(raise_level(1000, 20, 50, 100, None).product_ml, None)
        self.assertEqual(raise_level(1000, 20, 50, density_kg_l=Measured(2, "kg/L")).product_ml, 15)


class Conversions(TestCase):
    def test_every_unit_goes_there_and_back_within_its_dimension(self):
        for unit, one in (UNITS | AROUND).items():
            for other, two in (UNITS | AROUND).items():
                if one.dimension == two.dimension:
                    there = convert(37.5, unit, None, other, None)
                    self.assertAlmostEqual(convert(there, other, None, unit, None), 37.5, places=9)
