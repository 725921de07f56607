"""What lies exactly on a bound, and the small parts of answers that no story comes by."""

import re
from datetime import UTC, date, datetime, timedelta
from itertools import product
from random import Random
from unittest import TestCase
from unittest.mock import patch

from kessa.core.adapters.logger import TemperatureLogger
from kessa.core.adapters.ph import PhMeter
from kessa.core.advising.advice import Reading, Where, advise
from kessa.core.advising.readings import readings_by_sets
from kessa.core.advising.wording import plain_answer
from kessa.core.calc.lines import answer
from kessa.core.calibrating.line import fit_line
from kessa.core.calibrating.meters import calibrate_ph
from kessa.core.colours.lab import lab_of_rgb, level, light_of_lab
from kessa.core.errors import CannotCompute
from kessa.core.job.circumstances import scales
from kessa.core.judging import trend as trending
from kessa.core.judging.aquatic import ammonia_criteria
from kessa.core.judging.judge import Bounds, Interval, chance_beyond
from kessa.core.judging.limits import rule_sets
from kessa.core.judging.plausible import can_be
from kessa.core.judging.statistics import percentile
from kessa.core.judging.trend import trend
from kessa.core.judging.trend_words import trend_sentence
from kessa.core.methods import house_methods
from kessa.core.methods.computed import Computed
from kessa.core.methods.kit_numbers import KitNumbers
from kessa.core.methods.parts import Window
from kessa.core.methods.replicates import Rule, agree
from kessa.core.planning import stock
from kessa.core.proposing.proposals import proposals
from kessa.core.quantities.quantity import Quantity
from kessa.core.quantities.species import FORMS
from kessa.core.quantities.spread import Spread, exactly
from kessa.core.readings import KINDS, determine
from kessa.core.runs.state import RunState
from kessa.core.treating.dosing import bleed
from kessa.core.treating.systems import Finding, System


class OnTheBound(TestCase):
    def test_replicates_agree_at_their_floor_and_no_further(self):
        rule = Rule("relative", 5, floor=0.5)
        self.assertEqual(agree([1.0, 1.5], rule).state, "agreed")
        self.assertEqual(agree([1.0, 1.5001], rule).state, "run again")
        self.assertEqual(agree([1.0, 1.06], Rule("relative", 5)).state, "run again")
        self.assertEqual(agree([1.0, 1.06], Rule("absolute", 0.06)).state, "agreed")

    def test_chances_beyond_one_limit_and_beyond_two(self):
        result = Interval(10.0, 8.0, 12.0, None)
        # A unit beyond, of an interval of two to the side: the normal distribution beyond 0.98 of its spreads.
        self.assertAlmostEqual(chance_beyond(result, Bounds(max=11.0)), 0.1635, 4)
        self.assertAlmostEqual(chance_beyond(result, Bounds(max=9.0)), 0.1635, 4)
        self.assertAlmostEqual(chance_beyond(result, Bounds(min=9.0, max=11.0)), 0.3271, 4)
        self.assertIsNone(chance_beyond(Interval(10.0, 10.0, 10.0, None), Bounds(max=11.0)))
        self.assertIsNone(chance_beyond(Interval(10.0, 10.0, None, ">"), Bounds(max=11.0)))

    def test_several_words_are_one_number_and_back(self):
        scale = scales()["drains_in"]
        for places in ((0,), (2,), (1, 2), (2, 3)):
            value = scale.of_several(places)
            self.assertEqual(scale.chosen(value), places)
        self.assertIsNone(scale.of_several(()))

    def test_what_may_lie_below_nothing_and_what_may_not(self):
        def advise(**result):
            asked = {"op": "advise", "kind": "stream", "feeds": [], "sets": [], "results": [result]}
            return answer(asked)

        cold = {"parameter": "temperature", "value": -0.4, "unit": "degC", "low": -0.5, "high": -0.3}
        advise(**cold)
        with self.assertRaises(CannotCompute) as refused:
            advise(parameter="chloride", value=0.2, unit="mg/L", low=-0.1, high=0.5)
        self.assertIn("below nothing", refused.exception.message)


# Standard atomic masses (IUPAC 2021), as they stand in the contract of the computation.
MASSES = {
    "H": 1.008, "C": 12.011, "N": 14.007, "O": 15.999, "F": 18.998, "Na": 22.990, "Mg": 24.305, "Si": 28.085,
    "P": 30.974, "S": 32.06, "Cl": 35.45, "Ca": 40.078, "Mn": 54.938, "Fe": 55.845, "Cu": 63.546, "Br": 79.904,
    "Mo": 95.95, "Pb": 207.2, "Al": 26.982, "Zn": 65.38,
}  # fmt: skip
# What a mole of each form holds twice of what its family shares.
TWICE = {"P2O5", "CaCO3", "CaO", "Ca", "Mg", "CO3"}


class Published(TestCase):
    def test_every_form_weighs_what_its_formula_says(self):
        for name, form in FORMS.items():
            with self.subTest(name):
                atoms = re.findall(r"([A-Z][a-z]?)(\d*)", name)
                self.assertAlmostEqual(form.molar_mass, sum(MASSES[atom] * int(many or 1) for atom, many in atoms), 6)
                self.assertEqual(form.shared, 2 if name in TWICE else 1)

    def test_ammonia_where_trout_live_as_tabulated(self):
        # US EPA (2013), table of acute criteria with salmonids: below 15 °C the trout decide.
        for ph, table in ((6.5, 33.0), (7.0, 24.0), (7.5, 13.0), (8.0, 5.6), (8.5, 2.1), (9.0, 0.88)):
            with self.subTest(ph):
                self.assertEqual(float(f"{ammonia_criteria(ph, 5).acute:.2g}"), table)
        self.assertEqual(float(f"{ammonia_criteria(7.0, 20).acute:.2g}"), 17.0)
        self.assertEqual(float(f"{ammonia_criteria(7.0, 0, salmonids=False).acute:.2g}"), 38.0)

    def test_colours_of_a_screen_as_tabulated(self):
        # The primaries of sRGB (IEC 61966-2-1) in CIE L*a*b* under D65.
        for light, lab in (
            ((255, 0, 0), (53.24, 80.09, 67.20)),
            ((0, 255, 0), (87.73, -86.18, 83.18)),
            ((0, 0, 255), (32.30, 79.19, -107.86)),
        ):
            for found, known in zip(lab_of_rgb(*light), lab, strict=True):
                self.assertAlmostEqual(found, known, delta=0.06)
            back = [255 * level(part) for part in light_of_lab(lab_of_rgb(*light))]
            for one, other in zip(back, light, strict=True):
                self.assertAlmostEqual(one, other, delta=0.1)


class Simulated(TestCase):
    def test_a_careful_hand_comes_out_near_the_truth(self):
        chance = Random(3)
        numbers = {"unit": "mg/L", "normality": 0.02, "eq_weight": 50.0, "sample_ml": 50.0, "resolution_ml": 0.05}
        burette = KINDS["volume"](kind="volume", **numbers)
        found = []
        for _ in range(40):
            read = burette.simulated(120.0, chance)
            found.append(determine({"kind": "volume", **numbers}, {"ml": read["end"] - read["start"]}).quantity.value)
        self.assertAlmostEqual(sum(found) / len(found), 120.0, delta=1.5)
        card = KINDS["scale"](kind="scale", unit="mg/L", steps=[1.0, 2.0, 4.0])
        self.assertEqual(card.simulated(0.2, chance), {"below": True})
        self.assertEqual(card.simulated(0.8, chance), {"at": 1.0})
        self.assertEqual(card.simulated(6.0, chance), {"above": True})
        self.assertEqual(card.simulated(3.0, chance), {"between": [2.0, 4.0]})

    def test_a_photometer_shows_a_hundredth_of_its_range(self):
        meter = KINDS["photometer"](kind="photometer", unit="mg/L", range=[0.1, 3.5])
        shown = [meter.simulated(1.234, Random(seed))["display"] for seed in range(20)]
        self.assertEqual([round(each, 2) for each in shown], [round(each, 6) for each in shown])
        self.assertGreater(len({round(10 * each, 6) % 1 for each in shown}), 1)

    def test_a_dilution_multiplies_what_the_eye_sees_and_its_interval(self):
        part = house_methods()["ammonia-comparator"].main
        step = part.numbers.card[2]
        plain, diluted = (part.determine({"at": step}, dilution).quantity for dilution in (1.0, 2.0))
        self.assertAlmostEqual(diluted.low, 2 * plain.low)
        self.assertAlmostEqual(diluted.high, 2 * plain.high)
        self.assertLess(plain.low, plain.value)


class Parts(TestCase):
    def test_a_table_reaches_to_its_last_result(self):
        chart = KINDS["chart"](kind="chart", unit="mg/L", pairs=[[1, 20], [3, 80], [5, 300]])
        self.assertEqual((chart.least, chart.reach), (20, 300))

    def test_two_buffers_make_a_line_and_none_lies_off_it(self):
        names = [figure.name for figure in calibrate_ph([(7.0, 0.0), (4.0, 172.0)], 22).figures]
        self.assertEqual(names, ["slope", "offset"])
        three = calibrate_ph([(7.0, 0.0), (4.0, 172.0), (10.0, -170.0)], 22)
        self.assertEqual([figure.name for figure in three.figures][2:], ["farthest off the line"])

    def test_a_low_percentile_is_the_least(self):
        values = [Quantity(value, value, value, None, "mg/L") for value in (3.0, 1.0, 2.0)]
        self.assertEqual(percentile(values, 1).value, 1.0)
        self.assertEqual(percentile(values, 50).value, 1.5)
        self.assertEqual(percentile(values, 100).value, 3.0)


class Said(TestCase):
    def test_a_meter_says_its_voltage_beside(self):
        found = PhMeter.read("pH=7.31 mV=-18.2 T=18.4")
        self.assertEqual((found.display, found.what, found.temperature_c), (7.31, "-18.2 mV", 18.4))

    def test_a_window_may_be_one_number_and_never_upside_down(self):
        self.assertEqual(Window(min=2.0, max=2.0).max, 2.0)
        with self.assertRaises(ValueError):
            Window(min=2.1, max=2.0)

    def test_a_run_gives_a_reading_once_all_is_read_or_the_end_is_called(self):
        self.assertFalse(RunState().counts)
        self.assertFalse(RunState(stopped=True).counts)
        self.assertTrue(RunState(endpoint=False).counts)
        self.assertFalse(RunState(endpoint=True, voided=True).counts)

    def test_kit_numbers_differ_once_one_is_given(self):
        self.assertFalse(KitNumbers().differs)
        self.assertFalse(KitNumbers(per={}).differs)
        self.assertTrue(KitNumbers(sample_ml=5).differs)

    def test_how_far_between_two_steps(self):
        data = KINDS["scale"].said
        given = {"between": [1.0, 2.0], "fraction": 0.3}
        self.assertEqual(data(None, given, ""), "between 1 and 2, 30 % of the way")
        self.assertEqual(data(None, {"between": [1.0, 2.0]}, ""), "between 1 and 2")
        self.assertEqual(data(None, {"below": True}, ""), "below the first step")

    def test_an_open_count_is_said_to_be_open(self):
        given = KINDS["difference"].said
        self.assertEqual(given(None, {"system": 9, "supply": 2, "system_end": False}, "drop"), "9+ − 2 drops")
        self.assertEqual(given(None, {"system": 9, "supply": 2}, "drop"), "9 − 2 drops")

    def test_months_of_a_trend_that_is_too_short(self):
        def after(days):
            first = date(2026, 1, 1)
            return trend_sentence([(first + timedelta(days=days * n / 9), 5.0) for n in range(10)], "mg/L")

        self.assertIn("over 1 month:", after(9))
        self.assertIn("over 2 months:", after(61))
        self.assertIn("over 10 months:", after(306))

    def test_a_logger_says_its_time_and_its_heading_is_none(self):
        self.assertIsNone(TemperatureLogger.read("time,temperature"))
        found = TemperatureLogger.read("2026-01-05T10:30:00+00:00,4.5")
        self.assertEqual((found.display, found.unit), (4.5, "degC"))
        self.assertEqual(found.at, datetime(2026, 1, 5, 10, 30, tzinfo=UTC))
        with self.assertRaises(CannotCompute):
            TemperatureLogger.read("2026-01-05T10:30:00+00:00")

    def test_the_standard_that_lies_farthest_off_its_line(self):
        line = fit_line([(1, 0.11), (2, 0.19), (4, 0.40), (8, 0.80)])
        by_hand = [
            100 * abs((y - line.intercept) / line.slope - x) / x
            for x, y in ((1, 0.11), (2, 0.19), (4, 0.40), (8, 0.80))
        ]
        self.assertAlmostEqual(line.farthest, max(by_hand))


class SmallParts(TestCase):
    def test_what_is_above_for_infants_is_named_and_nothing_else(self):
        where = Where("well", frozenset(["people"]))
        sets = [rule_sets()[key] for key in ("who-gdwq", "eu-2020")]

        def first(**found):
            forms = {"nitrate": "NO3", "nitrite": "NO2"}
            readings = [
                Reading(name, Quantity(value, value, value, None, "mg/L", forms.get(name)))
                for name, value in found.items()
            ]
            return plain_answer(advise(where, readings_by_sets(where, readings, sets)), where)[0]

        self.assertIn("nitrate and manganese are above their limits", first(nitrate=60, manganese=1.2, lead=0.001))
        self.assertIn("nitrate is above its limit", first(nitrate=60, manganese=0.001, nitrite=0.01))

    def test_a_long_series_is_tested_by_ranks_as_a_short_one_is_pair_by_pair(self):
        chance = Random(3)
        apart = sorted(chance.sample(range(10**6), 700))
        y = [round(chance.gauss(20 + n * 0.002, 3), 1) for n in range(700)]
        several_a_day = [n // 3 for n in range(700)]
        for t, season in ((apart, None), (apart, [n % 4 for n in range(700)]), (several_a_day, None),
                          (several_a_day, [n // 90 % 4 for n in range(700)])):  # fmt: skip
            with patch.object(trending, "_all_slopes", side_effect=AssertionError):
                by_ranks = trend(t, y, season)
            with patch.object(trending, "_FEW", 700):
                self.assertEqual(by_ranks[:6], trend(t, y, season)[:6])
                for one, other in zip(by_ranks[6:], trend(t, y, season)[6:], strict=True):
                    self.assertAlmostEqual(one, other, 12)

    def test_of_whole_drops_those_that_lie_level_are_counted_and_not_looked_at(self):
        chance, looked = Random(5), []

        def between(*given):
            found = real(*given)
            looked.append(len(found[1]))
            return found

        real, days = trending._between, [n // 2 for n in range(900)]
        for drift, seasons, values in product(
            (-4e-3, -1e-3, 0, 4e-4, 4e-3), (None, 4), (range(4), range(60), range(1))
        ):
            with self.subTest(drift=drift, seasons=seasons, values=len(values)):
                y = [4.0 * (chance.choice(values) + int(n * drift * len(values) / 4)) for n in range(900)]
                season = seasons and [day % seasons for day in days]
                looked.clear()
                with (
                    patch.object(trending, "_between", between),
                    patch.object(trending, "_all_slopes", side_effect=AssertionError),
                ):
                    by_ranks = trend(days, y, season)
                with patch.object(trending, "_FEW", 900):
                    for one, other in zip(by_ranks, trend(days, y, season), strict=True):
                        self.assertAlmostEqual(one, other, 12)
                self.assertLess(sum(looked), 405_000 * 0.08 / (seasons or 1))

    def test_values_so_near_that_rounding_might_hide_a_slope_are_told_apart_all_the_same(self):
        y = [7.0 + 1e-13 * (n % 3) for n in range(900)]
        days = [2016 + n / 365.25 for n in range(900)]
        with patch.object(trending, "_FEW", 900):
            expected = trend(days, y)
        self.assertEqual(trend(days, y), expected)

    def test_water_at_the_ends_of_what_it_can_be(self):
        for name, water, inside, beyond in (
            ("temperature", "open", -0.5, -0.51), ("temperature", "open", 40, 40.1), ("pH", "open", 3, 2.9),
            ("conductivity", "drinking", 2, 1.9), ("dissolved oxygen", "plant", 20, 20.1),
        ):  # fmt: skip
            with self.subTest(name, water=water):
                self.assertEqual((can_be(name, inside, water), can_be(name, beyond, water)), (True, False))

    def test_one_part_less_another_down_to_nothing(self):
        combined = Computed(
            key="combined", parameter="combined chlorine", unit="mg/L", rule="less", of="total", minus="free",
            **{"as": "Cl2"},
        )  # fmt: skip

        def less(total, free):
            found, line = combined.compute({"total": total, "free": free})
            return (found.value, found.low, found.high, found.censor), line

        def chlorine(value, off, censor=None, high=...):
            return Quantity(value, value - off, value + off if high is ... else high, censor, "mg/L", "Cl2")

        (value, _, high, censor), line = less(chlorine(1.0, 0.1), chlorine(0.4, 0.1))
        self.assertAlmostEqual(value, 0.6)
        # The errors of both by their squares.
        self.assertAlmostEqual(high - value, 0.1 * 2**0.5)
        self.assertEqual((censor, line), (None, "1 − 0.4 = 0.6 mg/L"))
        self.assertEqual(less(chlorine(0.5, 0.25), chlorine(0.5, 0.25))[0][1:], (0.0, 0.5, "<"))
        self.assertEqual(less(chlorine(3, 0, ">", None), chlorine(1.0, 0.1))[0][2:], (None, ">"))
        self.assertIsNone(combined.compute({"total": chlorine(1, 0.1), "free": chlorine(3, 0, ">", None)}))

    def test_an_empty_lot_covers_nothing_and_no_need_takes_nothing(self):
        today = date(2026, 11, 23)
        lots = [stock.Lot(0.0, opened_on=today), stock.Lot(5.0)]
        self.assertEqual(stock.allot(3, lots, today), ((stock.Take(1, 3.0),), 0.0))
        self.assertEqual(stock.allot(0, lots, today), ((), 0.0))
        self.assertEqual(stock.weeks_left(5, 0), None)

    def test_what_must_be_above_a_bound_and_what_may_be_on_it(self):
        with self.assertRaisesMessage("volume must be above 0 L"):
            bleed(0, 1, 2, 1)
        with self.assertRaisesMessage("makeup cannot be below 0"):
            bleed(1, 1, 2, 1, -1)

    def assertRaisesMessage(self, words):  # noqa: N802
        return self.assertRaisesRegex(CannotCompute, re.escape(words))

    def test_the_feed_is_said_where_it_brings_something(self):
        volume, salty = exactly(4200.0), Spread(3900, 3800, 4000)
        system = System("boiler", "plant", volume, supply={"conductivity": Quantity(150, 140, 160, None, "uS/cm")})
        found = Finding("conductivity", salty, "uS/cm", None, "high", most=3000)
        self.assertIn("The feed brings 150 µS/cm.", proposals(system, [found])[0].why)
        self.assertNotIn("The feed brings", proposals(system._replace(supply={}), [found])[0].why)
