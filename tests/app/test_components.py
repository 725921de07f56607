"""Drawings: on the sheet, in order, and saying in words what they show. Widgets: what Django itself would write."""

from datetime import UTC, datetime, timedelta
from types import SimpleNamespace
from unittest import TestCase

from django import forms
from django.forms.renderers import DjangoTemplates
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from kessa.drawings.drift import drift
from kessa.drawings.gauge import WIDTH, gauge
from kessa.drawings.ladder import FOOT, TOP, ladder
from kessa.drawings.trend import HEIGHT, WIDE, Band, Line, trend
from kessa.pages.base.renderer import Renderer

START = datetime(2025, 1, 10, tzinfo=UTC)


def result(days, value, spread=4.0, censor=""):
    high = None if censor == ">" else value
    taken_at = START + timedelta(days=days)
    return SimpleNamespace(taken_at=taken_at, value=value, low=max(value - spread, 0), high=high, censor=censor)


class Gauges(TestCase):
    def test_a_result_between_its_limits(self):
        drawn = gauge(7.4, 7.2, 7.6, "mg/L", {"min": 6.5, "max": 9.0}, {"low": 7, "high": 8})
        low, high = drawn.ticks
        self.assertTrue(low < drawn.interval[0] < drawn.value < drawn.interval[1] < high)
        self.assertEqual(drawn.allowed[0], low)
        self.assertIn("at least 6.5 allowed, at most 9 allowed, usual 7 to 8", drawn.words)

    def test_a_floor_reaches_to_the_end_of_the_scale(self):
        drawn = gauge(100, 100, None, "mg/L", {"min": None, "max": 120}, None)
        self.assertEqual(drawn.interval[1], WIDTH - 6)
        self.assertTrue(drawn.words.startswith("above 100 mg/L"))

    @given(st.floats(0, 1e9), st.floats(0, 1e9), st.none() | st.floats(1e-3, 1e9))
    def test_nothing_leaves_the_sheet(self, value, low, most):
        low = min(low, value)
        drawn = gauge(value, low, value, "mg/L", {"min": None, "max": most} if most else None, None)
        for x in (drawn.value, *drawn.interval, *drawn.ticks):
            self.assertTrue(0 <= x <= WIDTH, x)


def checked(days, off, allowed=2.0):
    passed = abs(off) <= allowed
    return SimpleNamespace(at=START + timedelta(days=days), off=off, allowed=allowed, passed=passed)


class Drifts(TestCase):
    def test_checks_stand_in_order_of_time_against_what_is_allowed(self):
        chart = drift([checked(60, -2), checked(0, 0), checked(30, 1)])
        self.assertEqual([dot.check.off for dot in chart.dots], [0, 1, -2])
        first, second, third = chart.dots
        self.assertEqual((first.y, second.y), (chart.middle, chart.middle - chart.band / 2))
        self.assertEqual(third.y, chart.middle + chart.band)
        self.assertTrue(first.x < second.x < third.x)
        self.assertEqual(len(chart.days), 2)

    def test_one_check_and_one_with_nothing_allowed(self):
        self.assertEqual(len(drift([checked(0, 0)]).days), 1)
        exact = drift([checked(0, 0, 0), checked(1, 5, 0)])
        self.assertEqual(exact.dots[0].y, exact.middle)
        self.assertGreater(exact.middle - exact.dots[1].y, exact.band)

    @given(st.lists(st.tuples(st.integers(0, 900), st.floats(-1e9, 1e9), st.floats(0, 1e6)), min_size=1, max_size=20))
    def test_nothing_leaves_the_sheet(self, checks):
        chart = drift([checked(*check) for check in checks])
        for dot in chart.dots:
            self.assertTrue(chart.left <= dot.x <= chart.right and 0 <= dot.y <= chart.height, dot)


class Trends(TestCase):
    def test_readings_below_nothing_have_a_scale_that_holds_them(self):
        frost = result(0, -9)
        frost.low = -9
        chart = trend([result(30, 6, 0), frost], [], [], [])
        cold, warm = chart.here
        zero = next(y for y, label in chart.grid if label == "0")
        self.assertTrue(warm.y < zero < cold.y <= HEIGHT)

    def test_points_run_in_time_and_limits_far_above_are_named_not_drawn(self):
        here = [result(days, value) for days, value in ((90, 64), (60, 30), (0, 28))]
        there = [result(30, 20)]
        limits = [Line(860, "acute"), Line(120, "long term"), Line(230, "chronic")]
        chart = trend(here, there, limits, [Band(24, 36)])
        self.assertEqual([point.result for point in chart.here], here[::-1])
        xs = [point.x for point in chart.here]
        self.assertEqual(xs, sorted(xs))
        self.assertEqual([line.value for *_, line in chart.limits], [120])
        self.assertEqual([line.value for line in chart.above], [230, 860])
        self.assertLess(chart.here[-1].y, chart.here[0].y)
        self.assertEqual(len(chart.months), len({label for _, label in chart.months}))

    def test_one_result_or_one_moment_is_a_chart_too(self):
        for results in ([result(0, 0)], [result(0, 5), result(0, 7)], [result(0, 100, censor=">")]):
            chart = trend(results, [], [], [])
            self.assertEqual(len(chart.here), len(results))

    @given(st.lists(st.tuples(st.integers(0, 2000), st.floats(0, 1e6)), min_size=1, max_size=20))
    def test_nothing_leaves_the_sheet(self, readings):
        chart = trend([result(*reading) for reading in sorted(readings, reverse=True)], [], [], [])
        for point in chart.here:
            self.assertTrue(0 <= point.x <= WIDE and 0 <= point.y_high <= point.y_low <= HEIGHT)
        self.assertLessEqual(len(chart.grid), 8)


class Ladders(TestCase):
    def test_the_usual_range_stays_on_the_ladder(self):
        drawn = ladder(25, [20.0, 40.0])
        self.assertEqual(drawn.usual[0], TOP)
        self.assertEqual([label for _, label in drawn.ticks if label], ["0", "5", "10", "15", "20", "25"])
        self.assertEqual(drawn.ticks[0][0], FOOT)
        self.assertIsNone(ladder(25, [30.0, 40.0]).usual)
        self.assertIsNone(ladder(25, None).usual)


class Widgets(SimpleTestCase):
    def test_they_are_written_as_by_templates(self):
        choices = [("", "none"), ('a"<', "<b>A & b</b>"), ("Brooks", [(1, "One"), (2, "Two")])]
        attrs = {"id": "it", "required": True, "disabled": False, "title": '">&'}
        inputs = ("TextInput", "NumberInput", "EmailInput", "PasswordInput", "HiddenInput", "DateInput", "TimeInput")
        for name, value in (
            *((name, value) for name in inputs for value in (None, "", "1 < 2", 0)),
            ("CheckboxInput", True), ("CheckboxInput", False), ("RadioSelect", "2"), ("CheckboxSelectMultiple", ["2"]),
            ("Select", None), ("Select", 'a"<'), ("Select", 2), ("SelectMultiple", [1, 2]), ("NullBooleanSelect", True),
        ):  # fmt: skip
            with self.subTest(name=name, value=value):
                chosen = {"choices": choices} if name in {"Select", "SelectMultiple", "RadioSelect"} else {}
                widget = getattr(forms, name)(**chosen)
                ours, theirs = (widget.render("one", value, attrs, each()) for each in (Renderer, DjangoTemplates))
                self.assertHTMLEqual(ours, theirs)
