"""Control charts: limits from the moving range, what chance does not do, groups told apart, a spread of one's own."""

from random import Random
from unittest import TestCase

from kessa.core.errors import CannotCompute
from kessa.core.judging.control import control_chart, groups_apart, own_spread


class Control(TestCase):
    def broken(self, *last, base=(100, 101, 99, 100, 102, 98, 100, 101, 99, 100)):
        chart = control_chart([*base, *last])
        return chart, chart.broken.get(len(base) + len(last) - 1, ())

    def test_limits_follow_from_the_moving_range(self):
        # Mean 100, moving ranges 1 2 1 2 4 2 1 2 1: mean 16 / 9, over 1.128.
        chart, broken = self.broken()
        self.assertAlmostEqual(chart.centre, 100)
        self.assertAlmostEqual(chart.sigma, 16 / 9 / 1.128)
        self.assertEqual(broken, ())

    def test_each_rule_says_what_broke(self):
        base = [100, 101, 99, 100, 101, 99] * 4
        for last, rule in (
            ((106,), "beyond"),
            ((102.9, 100, 102.9), "two-of-three"),
            ((101.6, 101.6, 100, 101.6, 101.6), "four-of-five"),
            ((100.5,) * 8, "one-side"),
            ((99, 99.3, 99.6, 99.9, 100.2, 100.5), "drift"),
        ):
            with self.subTest(rule):
                self.assertIn(rule, self.broken(*last, base=base)[1])

    def test_chance_alone_breaks_seldom_and_a_shift_is_found_soon(self):
        chance, alarms, found = Random(5), 0, 0
        for _ in range(200):
            base = [chance.gauss(100, 2) for _ in range(20)]
            alarms += bool(self.broken(chance.gauss(100, 2), base=base)[1])
            shifted = [chance.gauss(106, 2) for _ in range(4)]
            found += any(n >= 20 for n in control_chart([*base, *shifted]).broken)
        self.assertLess(alarms, 20)
        self.assertGreater(found, 190)

    def test_what_is_too_little_is_said_and_equal_values_are_no_trouble(self):
        for what in (lambda: control_chart([1] * 7), lambda: own_spread([100] * 7)):
            with self.assertRaises(CannotCompute):
                what()
        self.assertEqual(dict(control_chart([1.0] * 9).broken), {})
        self.assertIn("beyond", control_chart([*[1.0] * 9, 2.0]).broken[9])
        self.assertEqual(dict(control_chart([*[1.0] * 9, 2.0], least_sigma=0.4).broken), {})

    def test_groups_and_the_spread(self):
        apart = groups_apart([100, 101, 99, 100], [92, 93, 91, 92])
        self.assertAlmostEqual(apart.by, -8)
        self.assertTrue(apart.differs)
        self.assertFalse(groups_apart([100, 104, 96], [101, 97, 103]).differs)
        self.assertIsNone(groups_apart([1, 2], [1, 2, 3]))
        # Mean 98, deviation 2, t of 9 degrees 2.262.
        self.assertAlmostEqual(own_spread([96, 100, 96, 100, 96, 100, 96, 100, 98, 98]), 2 + 2.262 * 1.8856, 2)
