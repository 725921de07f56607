"""What a number means: derived results, limits on series, formulas and pairs, what is asked about, trends in words."""

import json
import subprocess
import sys
from collections import Counter
from datetime import UTC, date, datetime, timedelta
from random import Random
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from kessa.core.derived.ammonia import unionised_fraction
from kessa.core.derived.oxygen import oxygen_saturation, pressure_at
from kessa.core.derived.recipes import HEIGHT, RECIPES, SUPPLY, derive, lacking
from kessa.core.errors import CannotCompute
from kessa.core.judging.aquatic import METALS, ammonia_criteria, metal_criteria
from kessa.core.judging.conclusive import would_be_conclusive
from kessa.core.judging.holding import Context, Paired, hold, judge_by_sets, not_judged, overall
from kessa.core.judging.judge import Bounds
from kessa.core.judging.limits import Limit, RuleSet, proposed_sets, rule_sets
from kessa.core.judging.plausible import Circumstance, doubts_about
from kessa.core.judging.statistics import STATISTICS, Dated, enough_for, statistic_of
from kessa.core.judging.trend import Below, trend
from kessa.core.judging.trend_words import against_last_year, trend_sentence
from kessa.core.judging.usual import UsualRange, season_of, usual_by_season, usual_range
from kessa.core.methods import house_methods
from kessa.core.methods.exactness import Speaking, stands_for
from kessa.core.quantities.quantity import Quantity
from tests.core.world import seconds_of_children

NOW = datetime(2026, 6, 15, 10, tzinfo=UTC)
DAY = timedelta(days=1)


def mg(value, off=0.0, form=None, unit="mg/L", censor=None):
    return Quantity(value, value - off, value + off, censor, unit, form)


def limit(**data):
    return Limit.model_validate({"parameter": "chloride", "unit": "mg/L", **data})


def dated(*values, every=30):
    """Readings before now, newest first, so many days apart."""
    return [Dated(NOW - DAY * every * (n + 1), mg(value)) for n, value in enumerate(values)]


class Derived(TestCase):
    def test_published_check_values(self):
        # US Geological Survey tables of oxygen solubility; EPA 2013 tables of ammonia; Emerson's own table.
        for temperature, wanted in ((0, 14.62), (10, 11.29), (20, 9.09), (25, 8.26), (30, 7.56)):
            self.assertAlmostEqual(oxygen_saturation(temperature), wanted, delta=0.01)
        self.assertAlmostEqual(pressure_at(1000), 89.87, delta=0.01)
        found = ammonia_criteria(7.0, 20)
        self.assertEqual((round(found.acute), round(found.chronic, 1)), (17, 1.9))
        for ph, temperature, percent in ((8.0, 20, 3.82), (8.0, 25, 5.38), (7.0, 20, 0.396)):
            self.assertAlmostEqual(100 * unionised_fraction(ph, temperature), percent, delta=0.03)
        self.assertIn("hardness taken as 25", metal_criteria("copper", 10).note)

    def test_the_interval_of_what_is_derived_holds_the_simulated_truth_nineteen_times_in_twenty(self):
        held, trials = Counter(), 150
        for seed in range(trials):
            for key, holds in self.derived(Random(seed)):
                held[key] += holds
        self.assertEqual(len(held), 10)
        for key, times in held.items():
            with self.subTest(key):
                # Of 150 trials a share of 95 in 100 comes out under 90 once in 300.
                self.assertGreaterEqual(times, 0.9 * trials)

    def derived(self, chance):
        """Whether what follows from readings, off as their intervals say, holds what follows from the truth."""
        truth = {
            "dissolved oxygen": (chance.uniform(2, 12), "mg/L", "O2", 0.4),
            "temperature": (chance.uniform(1, 25), "degC", None, 0.5),
            "ammonia": (chance.uniform(0.05, 4), "mg/L", "N", 0.2),
            "pH": (chance.uniform(6.6, 8.9), "pH", None, 0.3),
            "alkalinity": (chance.uniform(60, 400), "mg/L", "CaCO3", 10),
            "calcium hardness": (chance.uniform(30, 300), "mg/L", "CaCO3", 10),
            "conductivity": (chance.uniform(100, 3000), "uS/cm", None, 20),
            "nitrate": (chance.uniform(1, 15), "mg/L", "N", 0.5),
            "nitrite": (chance.uniform(0.01, 1), "mg/L", "N", 0.05),
            "chloride": (chance.uniform(10, 200), "mg/L", "Cl", 5),
            SUPPLY + "chloride": (chance.uniform(6, 9), "mg/L", "Cl", 2),
            HEIGHT: (chance.uniform(0, 1000), "m", None, 0),
        }
        truth["P alkalinity"] = (truth["alkalinity"][0] * chance.uniform(0.05, 0.95), "mg/L", "CaCO3", 6)
        exact = {
            name: Quantity(value, value, value, None, unit, form) for name, (value, unit, form, _) in truth.items()
        }
        read = {}
        for name, (value, unit, form, off) in truth.items():
            seen = max(value + chance.gauss(0, off / 1.96), 0.0)
            read[name] = Quantity(seen, max(seen - off, 0), seen + off, None, unit, form)
        for recipe in RECIPES:
            if not lacking(recipe, exact):
                wanted, found = derive(recipe, exact).quantity, derive(recipe, read).quantity
                forgiven = 1e-9 * abs(wanted.value) + 1e-9
                yield recipe.key, found.low - forgiven <= wanted.value <= found.high + forgiven

    def test_what_is_over_its_range_or_runs_backwards_says_nothing(self):
        by_key = {recipe.key: recipe for recipe in RECIPES}
        over = {"nitrate": mg(10, 0, "N", censor=">"), "nitrite": mg(0.1, 0, "N")}
        with self.assertRaises(CannotCompute):
            derive(by_key["nitrogen-sum"], over)
        under = {"nitrate": mg(3, 0.5, "N"), "nitrite": Quantity(0.2, 0, 0.2, "<", "mg/L", "N")}
        found = derive(by_key["nitrogen-sum"], under)
        self.assertAlmostEqual(found.quantity.value, 3.1)
        self.assertIn("nitrite <0.2", found.working[0])
        for key, readings in (
            ("combined-chlorine", {"free chlorine": mg(1.2, 0.1, "Cl2"), "total chlorine": mg(0.8, 0.1, "Cl2")}),
            ("hydroxide", {"P alkalinity": mg(96, 5, "CaCO3"), "alkalinity": mg(24, 5, "CaCO3")}),
        ):
            with self.assertRaisesRegex(CannotCompute, "of which it is part"):
                derive(by_key[key], readings)
        level = {"free chlorine": mg(0.8, 0.1, "Cl2"), "total chlorine": mg(0.8, 0.1, "Cl2")}
        self.assertEqual(derive(by_key["combined-chlorine"], level).quantity.value, 0)
        self.assertEqual(lacking(by_key["unionised-ammonia"], {"ammonia": mg(1), "pH": mg(7)}), ["temperature"])


class Series(TestCase):
    """Limits on means, percentiles and rows of readings."""

    def verdict(self, statistic, now, past=(), **bounds):
        held = hold(mg(now), limit(statistic=statistic, rule="simple", **bounds), None, Context(NOW, past=past))
        return held.verdict, held.statistic

    def lacks(self, statistic, now, past, **bounds):
        with self.assertRaises(CannotCompute) as refused:
            self.verdict(statistic, now, past, **bounds)
        return refused.exception.message

    def stands_in(self, statistic, now, past, **bounds):
        """What is still needed, while the newest reading stands in."""
        verdict, told = self.verdict(statistic, now, past, **bounds)
        self.assertTrue(told.stands_in)
        self.assertEqual(told.quantity.value, now)
        return verdict, told.needs

    def test_days_that_are_lacking_are_counted_and_a_year_ends_with_its_day(self):
        _, needs = self.stands_in("4-day average", 5.0, dated(5.0, every=1), max=4)
        self.assertIn("readings of 2 more days in a row for the 4-day", needs)
        least = enough_for(90)
        year = [Dated(NOW - DAY * n, mg(2.0)) for n in range(1, least - 1)]
        old = Dated(NOW - timedelta(days=365), mg(2.0))
        _, needs = self.stands_in("90th percentile", 2.0, [*year, old], max=4)
        self.assertIn("1 more reading within a year", needs)

    def test_a_running_annual_average_one_quarter_short_says_which(self):
        three = dated(2.0, 2.0, 2.0, every=91)[:2]
        verdict, data = self.stands_in("running annual average", 6.0, three, max=4)
        self.assertEqual(verdict, "outside")
        self.assertIn("a reading of July to September 2025 for the running annual average", data)
        whole = dated(2.0, 2.0, 2.0, every=91)
        verdict, told = self.verdict("running annual average", 6.0, whole, max=4)
        # One reading over the limit, and the year's mean is 3.
        self.assertEqual((verdict, told.quantity.value), ("inside", 3.0))
        # Readings of 5 Feb, 5 May, 20 Aug and 5 Nov lie in the four quarters of a year, however far apart.
        days = [datetime(2025, month, day, tzinfo=UTC) for month, day in ((11, 5), (8, 20), (5, 5), (2, 5))]
        spread = [Dated(at, mg(2.0)) for at in days]
        self.assertFalse(statistic_of("running annual average").of(spread, True).stands_in)
        # Each month of a quarter weighs alike: April 2, June 6 and 6 are 4.
        monthly = [Dated(NOW - DAY, mg(6.0)), Dated(datetime(2026, 4, 3, tzinfo=UTC), mg(2.0)), *whole]
        told = self.verdict("running annual average", 6.0, monthly, max=4)[1]
        self.assertEqual(told.quantity.value, (4 + 2 + 2 + 2) / 4)
        # A quarter with many readings weighs no more than one with a single one.
        many = [*dated(2.0, 2.0, 2.0, every=91), *[Dated(NOW - DAY * n, mg(6.0)) for n in range(1, 9)]]
        self.assertEqual(
            self.verdict("running annual average", 6.0, sorted(many, reverse=True, key=lambda e: e.at), max=4)[
                1
            ].quantity.value,
            3,
        )

    def test_each_statistic_by_hand(self):
        self.assertEqual(self.verdict("mean of the last 3", 9, dated(3, 3), max=6)[1].quantity.value, 5)
        self.assertIn("1 more reading", self.stands_in("mean of the last 3", 9, dated(3), max=6)[1])
        self.assertIn("1 more reading", self.stands_in("90th percentile", 5, dated(1, 2, 3), max=9)[1])
        # Only those of a year count.
        self.assertIn("2 more readings", self.stands_in("90th percentile", 5, dated(1, 2, 3, every=150), max=9)[1])
        self.assertIn("2 more readings of that day", self.stands_in("mean of a three-sample set", 5, [], max=9)[1])
        # Lead and copper's own rule: of five the mean of the two highest, of ten the ninth.
        self.assertEqual(self.verdict("90th percentile", 5, dated(1, 2, 3, 4), max=9)[1].quantity.value, 4.5)
        self.assertEqual(self.verdict("90th percentile", 10, dated(*range(1, 10)), max=9)[1].quantity.value, 9)
        self.assertEqual(self.verdict("two in a row", 12, dated(5), max=10)[0], "inside")
        self.assertEqual(self.verdict("two in a row", 12, dated(11), max=10)[0], "outside")
        self.assertEqual(self.verdict("two in a row", 2, dated(9), min=5)[0], "inside")
        verdict, told = self.verdict("4-day average", 300, [], max=230)
        self.assertEqual((verdict, told.stands_in), ("outside", True))
        verdict, told = self.verdict("4-day average", 300, dated(100, 100, 100, every=1), max=230)
        self.assertEqual((verdict, told.stands_in, told.quantity.value), ("inside", False, 150))
        self.assertIn("19 more", self.lacks("95 % of a month's samples", 1, [], max=0.3))
        month = [Dated(NOW - timedelta(hours=n + 1), mg(0.1)) for n in range(19)]
        self.assertEqual(self.verdict("95 % of a month's samples", 5.0, month, max=0.3)[0], "inside")
        self.assertEqual(
            self.verdict("95 % of a month's samples", 5.0, [Dated(NOW - DAY, mg(4)), *month[1:]], max=0.3)[0], "outside"
        )
        # Of 21 twenty are wanted, not nineteen.
        two_high = [Dated(NOW - timedelta(hours=20), mg(4)), *month]
        self.assertEqual(self.verdict("95 % of a month's samples", 5.0, two_high, max=0.3)[0], "outside")
        self.assertEqual(
            self.verdict("daily minimum", 8, [Dated(NOW - timedelta(hours=5), mg(3))], min=5)[0], "outside"
        )
        for name in STATISTICS:
            self.assertEqual(statistic_of(name).name, name)
        with self.assertRaises(CannotCompute):
            statistic_of("now and then")

    @settings(deadline=None)
    @given(st.sampled_from(STATISTICS), st.lists(st.floats(0, 1e6), max_size=30), st.integers(1, 60))
    def test_no_series_breaks_a_statistic(self, name, values, every):
        try:
            verdict, told = self.verdict(name, 5.0, dated(*values, every=every), max=7)
        except CannotCompute as reason:
            self.assertIn("it needs", reason.message)
            return
        self.assertIn(verdict, ("inside", "close", "outside", "not settled"))
        self.assertLessEqual(told.quantity.low, told.quantity.high)


class SeenBeside(TestCase):
    """Limits that compare, and those that follow from other readings."""

    def test_a_difference_and_a_part_of_what_is_usual(self):
        upstream = Context(NOW, pairs={"upstream": mg(30, 2)})
        more = limit(compared="upstream", max=50, rule="guarded")
        self.assertEqual(hold(mg(100, 4), more, None, upstream).verdict, "outside")
        self.assertEqual(hold(mg(79, 4), more, None, upstream).verdict, "not settled")
        self.assertEqual(hold(mg(60, 4), more, None, upstream).verdict, "inside")
        with self.assertRaises(CannotCompute) as lacking_pair:
            hold(mg(60), more)
        self.assertIn("same day at the place upstream", lacking_pair.exception.message)
        usual = Context(NOW, usual=UsualRange(40, 30, 50, 12))
        part = limit(compared="usual", unit="%", min=80, max=120)
        held = hold(mg(60), part, None, usual)
        self.assertEqual((held.verdict, held.statistic.quantity.value), ("outside", 150))

    def test_a_mean_of_differences_goes_by_days_on_which_both_were_tested(self):
        earlier = [Paired(NOW - DAY * n, mg(30 + 10 * n), mg(20)) for n in (1, 2)]
        beside = Context(NOW, pairs={"upstream": mg(20)}, past_pairs={"upstream": earlier})
        gains = limit(compared="upstream", max=15, statistic="mean of the last 3", rule="simple")
        held = hold(mg(45), gains, None, beside)
        self.assertEqual((held.statistic.quantity.value, held.verdict), ((25 + 20 + 30) / 3, "outside"))
        short = hold(mg(45), gains, None, beside._replace(past_pairs={"upstream": earlier[:1]}))
        self.assertEqual((short.statistic.stands_in, short.statistic.quantity.value), (True, 25))
        # What is compared with may be over its range, or under its bound.
        over = Context(NOW, pairs={"upstream": Quantity(20, 20, None, ">", "mg/L")})
        with self.assertRaises(CannotCompute):
            hold(mg(45), limit(compared="upstream", max=15), None, over)
        under = Context(NOW, pairs={"upstream": Quantity(4, 0, 4, "<", "mg/L")})
        self.assertEqual(hold(mg(45), limit(compared="upstream", max=15), None, under).statistic.quantity.low, 41)
        share = limit(compared="upstream", unit="%", max=300)
        found = hold(mg(45, 5), share, None, Context(NOW, pairs={"upstream": mg(20, 2)})).statistic.quantity
        self.assertEqual((found.value, found.low, found.high), (225, 100 * 40 / 22, 100 * 50 / 18))
        self.assertIsNone(hold(mg(45, 5), share, None, under).statistic.quantity.high)

    def test_an_ammonia_criterion_follows_from_ph_and_temperature_of_the_sample(self):
        sets = [rule_sets()["us-aquatic"]]
        found = mg(1.2, 0.1, "N")
        beside = Context(NOW, readings={"pH": mg(8.4, 0.1, unit="pH"), "temperature": mg(18, 0.5, unit="degC")})
        judged = judge_by_sets(found, "ammonia", sets, None, beside)
        chronic = ammonia_criteria(8.4, 18).chronic
        self.assertAlmostEqual(min(each["max"] for each in judged), chronic)
        self.assertEqual(overall(judged)["verdict"], "outside")
        self.assertIn("from pH 8.4, temperature 18", judged[0]["rests_on"])
        # The pH of a strip leaves the limit itself open: nothing is settled near it.
        rough = Context(NOW, readings={"pH": mg(8.4, 0.6, unit="pH"), "temperature": mg(18, 0.5, unit="degC")})
        for found_mg, verdict in ((0.1, "inside"), (0.3, "not settled"), (0.6, "not settled")):
            near = judge_by_sets(mg(found_mg, 0.02, "N"), "ammonia", sets, None, rough)
            self.assertEqual(overall(near)["verdict"], verdict)
        # Without trout the acute one is higher in cold water; where nobody was asked they are taken to be there.
        cold = Context(NOW, readings={"pH": mg(8.0, unit="pH"), "temperature": mg(4, unit="degC")})
        none = cold._replace(feeds=frozenset({"no-trout"}))
        acute = [max(e["max"] for e in judge_by_sets(found, "ammonia", sets, None, where)) for where in (cold, none)]
        self.assertLess(*acute)
        outside = Context(NOW, readings={"pH": mg(9.6, unit="pH"), "temperature": mg(18, unit="degC")})
        left = not_judged(found, "ammonia", sets, outside)
        self.assertTrue(all("from 6.5 to 9" in why for _, _, why in left))

    def test_programmes_fit_a_place_and_say_what_to_do_in_their_own_words(self):
        self.assertEqual(proposed_sets("boiler", {"pressure_bar": 9}, [], []), ["programme-boiler-low"])
        for bar, which in ((9, "low"), (32, "medium"), (45, "high")):
            self.assertEqual(proposed_sets("boiler", {"pressure_bar": bar}, [], []), [f"programme-boiler-{which}"])
        self.assertEqual(proposed_sets("well", {}, ["people"], []), ["who-gdwq"])
        self.assertEqual(proposed_sets("well", {}, ["people"], ["eu-2020"]), ["eu-2020"])
        self.assertEqual(proposed_sets("heating-loop", {}, ["aluminium"], []), ["programme-heating-aluminium"])
        # A well is drinking water where nobody said so, and so is a spring that people drink of.
        self.assertEqual(proposed_sets("well", {}, [], ["eu-2020"]), ["eu-2020"])
        self.assertEqual(proposed_sets("stream", {}, ["people"], [])[0], "who-gdwq")
        self.assertEqual(proposed_sets("supply", {}, [], ["eu-2020"]), [])
        boiler = [rule_sets()["programme-boiler-low"]]
        salty = judge_by_sets(mg(7200, 150, unit="uS/cm"), "conductivity", boiler)
        self.assertIn("Carry-over risk", overall(salty)["do_high"])
        loop = [rule_sets()["programme-heating-aluminium"]]
        alkaline = judge_by_sets(mg(9.6, 0.1, unit="pH"), "pH", loop)
        self.assertIn("dissolves aluminium", overall(alkaline)["do_high"])

    def test_a_set_of_ones_own_is_checked_as_those_that_ship(self):
        good = {"key": "own-x", "version": 1, "title": "Ours", "applies_to": "plant"}
        for data, field in (
            ({"parameter": "chloride", "unit": "furlong", "max": 3}, "unit"),
            ({"parameter": "chloride", "unit": "mg/L"}, "formula"),
            ({"parameter": "chloride", "unit": "mg/L", "min": 5, "max": 3}, "min"),
            ({"parameter": "chloride", "unit": "mg/L", "max": 3, "statistic": "sometimes"}, "statistic"),
            ({"parameter": "chloride", "unit": "mg/L", "formula": "gold-acute"}, "formula"),
            ({"parameter": "chloride", "unit": "mg/L", "max": 3, "colour": "red"}, "colour"),
        ):
            with self.subTest(data), self.assertRaises(ValueError) as refused:
                RuleSet.model_validate(good | {"limits": [data]})
            self.assertIn(field, str(refused.exception))

    def test_what_would_settle_it_is_told_by_its_interval_there(self):
        photometer = house_methods()["nitrate-photometer"].main
        near = Quantity(44, 38, 55, None, "mg/L", "NO3")
        self.assertTrue(would_be_conclusive(photometer, near, Bounds(max=50)))
        self.assertFalse(would_be_conclusive(photometer, Quantity(49.9, 45, 55, None, "mg/L", "NO3"), Bounds(max=50)))
        self.assertFalse(would_be_conclusive(house_methods()["nitrate-strip"].part("nitrate"), near, Bounds(max=50)))


class Standing(TestCase):
    def test_of_two_tests_the_more_exact_stands_and_of_two_alike_the_narrower(self):
        eye, wide = Speaking(1, "eye", 0, 1), Speaking(2, "count", 0, 5)
        narrow, at_least = Speaking(3, "count", 0, 4), Speaking(4, "count", 3, None)
        for results, stands in (((eye, wide), wide), ((wide, narrow, at_least), narrow), ((at_least, wide), wide)):
            self.assertEqual(stands_for(results), stands)
        for better, worse in (("count", "screening"), ("photometer", "count"), ("eye", "taken-in"), ("eye", "derived")):
            self.assertEqual(stands_for([Speaking(1, worse, 0, 1), Speaking(2, better, 0, 9)]).key, 2, better)


class Asked(TestCase):
    def doubts(self, name, quantity, **seen):
        given = {"readings": {}, "usual": None, "last": (), "pair": None, "water": "open", "at": NOW, **seen}
        return [doubt.key for doubt in doubts_about(name, quantity, Circumstance(**given))]

    def test_what_is_asked_before_it_is_written(self):
        usual = UsualRange(350, 300, 420, 20)
        self.assertEqual(
            self.doubts("conductivity", mg(0.35, 0.01, unit="uS/cm"), usual=usual), ["cannot-be", "digit-slip"]
        )
        self.assertEqual(self.doubts("conductivity", mg(3400, 20, unit="uS/cm"), usual=usual), ["digit-slip"])
        self.assertEqual(self.doubts("conductivity", mg(900, 20, unit="uS/cm"), usual=usual), [])
        self.assertEqual(self.doubts("secchi depth", mg(1.4, 0.1, unit="cm"), last=[135.0]), ["digit-slip"])
        self.assertEqual(self.doubts("secchi depth", mg(140, 5, unit="cm"), depth_cm=90), ["cannot-be"])
        self.assertEqual(self.doubts("temperature", mg(57, 0.5, unit="degC")), ["cannot-be"])
        self.assertEqual(self.doubts("temperature", mg(57, 0.5, unit="degC"), water="plant"), [])
        for ph, asked in ((11.4, []), (11.6, ["cannot-be"]), (3.9, ["cannot-be"])):
            self.assertEqual(self.doubts("pH", mg(ph, 0.1, unit="pH"), water="drinking"), asked)
        self.assertEqual(self.doubts("chloride", mg(28, 4), last=[28.0] * 9), ["stuck"])
        hard = {"total hardness": mg(120, 8, "CaCO3")}
        self.assertEqual(self.doubts("calcium hardness", mg(180, 8, "CaCO3"), readings=hard), ["impossible-pair"])
        self.assertEqual(self.doubts("calcium hardness", mg(124, 8, "CaCO3"), readings=hard), [])
        thin = {"conductivity": mg(250, 10, unit="uS/cm")}
        self.assertEqual(self.doubts("chloride", mg(300, 10, "Cl"), readings=thin), ["impossible-pair"])
        self.assertEqual(self.doubts("chloride", mg(100, 10, "Cl"), readings=thin), [])
        night = NOW.replace(hour=2)
        self.assertEqual(self.doubts("oxygen saturation", mg(160, 5, unit="%"), at=night), ["impossible-pair"])
        self.assertEqual(self.doubts("oxygen saturation", mg(160, 5, unit="%")), [])

    def test_what_is_usual_goes_by_the_season_where_there_are_two_of_it(self):
        winters = [(date(year, 1, day), 60.0 + day) for year in (2025, 2026) for day in (3, 10, 17, 24)]
        summers = [(date(year, 7, day), 20.0 + day) for year in (2024, 2025) for day in (3, 10, 17, 24)]
        cold = usual_by_season([*winters, *summers], date(2026, 2, 1))
        self.assertEqual((cold.season, cold.n), ("December to February", 8))
        self.assertGreater(cold.low, 60)
        self.assertEqual(usual_by_season([*winters[4:], *summers], date(2026, 2, 1)).season, "")
        self.assertEqual(season_of(date(2026, 9, 1)), "September to November")
        spilt = usual_range([20, 22, 24, 26, 28, 30, 32, 34, 900])
        self.assertLess(spilt.high, 35)


class Trends(TestCase):
    def test_in_one_plain_sentence(self):
        start = date(2019, 1, 15)
        rising = [(start + timedelta(days=30 * n), 20 + 0.25 * n + (n % 3)) for n in range(80)]
        words = trend_sentence(rising, "mg/L")
        self.assertRegex(
            words, r"^Rising by about 3(\.\d+)? mg/L a year \(.* to .*\); not chance \(p = under 0\.001\)\.$"
        )
        flat = [(start + timedelta(days=60 * n), 20.0 + (n * 7) % 5) for n in range(14)]
        self.assertIn("No trend shown with 14 readings", trend_sentence(flat, "mg/L"))
        self.assertIn("takes a year", trend_sentence(rising[:6], "mg/L"))
        self.assertIn("it takes 4", trend_sentence(rising[:3], "mg/L"))
        years = [(date(year, month, 9), 40.0 - 5 * (year == 2026)) for year in (2025, 2026) for month in range(1, 6)]
        self.assertEqual(
            against_last_year(years, date(2026, 5, 20)), "Against the year before: lower in 5 of 5 months."
        )
        self.assertEqual(against_last_year(years[:5], date(2026, 5, 20)), "")

    @settings(deadline=None, max_examples=60)
    @given(st.lists(st.tuples(st.integers(0, 40), st.integers(-50, 50), st.booleans()), min_size=4, max_size=24))
    def test_fast_is_the_same_as_by_hand(self, points):
        t, y = [p[0] for p in points], [Below(p[1]) if p[2] else float(p[1]) for p in points]
        try:
            found = trend(t, y)
        except CannotCompute as reason:
            self.assertTrue(reason.field == "t" and len(set(t)) == 1)
            return

        def sign(a, b):
            """The sign of b against a, as far as they can be told apart."""
            low = [float("-inf") if isinstance(e, Below) else e for e in (a, b)]
            over = b > a.value if isinstance(a, Below) and not isinstance(b, Below) else None
            if isinstance(a, Below) and isinstance(b, Below):
                return 0
            if isinstance(a, Below):
                return int(over or low[1] == a.value)
            if isinstance(b, Below):
                return -int(a >= b.value)
            return (b > a) - (b < a)

        order = sorted(range(len(t)), key=lambda n: t[n])
        s = sum(sign(y[i], y[j]) for at, i in enumerate(order) for j in order[at + 1 :] if t[j] > t[i])
        self.assertEqual(found.s, s)
        taken = [e.value / 2 if isinstance(e, Below) else e for e in y]
        slopes = sorted((taken[j] - taken[i]) / (t[j] - t[i]) for i in order for j in order if t[j] > t[i])
        middle = len(slopes) // 2
        median = slopes[middle] if len(slopes) % 2 else (slopes[middle - 1] + slopes[middle]) / 2
        self.assertAlmostEqual(found.slope, median)

    def test_many_points_are_told_as_by_hand_too(self):
        chance = Random(11)
        for under in (None, 19.0):
            t = sorted(chance.sample(range(100_000), 900))
            y = [round(chance.gauss(20, 2) + 0.00002 * at, 1) for at in t]
            given_ = [Below(under) if under and each < under else each for each in y]
            taken = [under / 2 if isinstance(each, Below) else each for each in given_]
            found = trend(t, given_)
            slopes = sorted((taken[j] - taken[i]) / (t[j] - t[i]) for j in range(900) for i in range(j))
            middle = len(slopes) // 2
            self.assertAlmostEqual(found.slope, (slopes[middle] + slopes[middle - 1]) / 2, places=12)
            reach = 1.959963984540054 * found.var_s**0.5
            rank = (len(slopes) - reach) / 2
            first = slopes[int(rank) - 1]
            wanted = first + (rank - int(rank)) * (slopes[int(rank)] - first)
            self.assertAlmostEqual(found.slope_low, wanted, places=12)

    def test_five_thousand_points_are_told_in_a_moment_also_through_the_door(self):
        chance = Random(3)
        y = [round(chance.gauss(20, 3), 2) for _ in range(5000)]
        request = json.dumps({"op": "trend", "t": list(range(5000)), "y": y})
        began = seconds_of_children()
        done = subprocess.run(
            [sys.executable, "-m", "kessa.core.calc"], input=request, capture_output=True, text=True, check=True
        )
        self.assertLess(seconds_of_children() - began, 6)
        self.assertEqual(json.loads(done.stdout)["answer"]["n"], 5000)
        self.assertTrue(METALS)
