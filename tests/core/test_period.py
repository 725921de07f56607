"""What the results of a time come to, worked out by hand."""

from collections import Counter
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from kessa.core.errors import CannotCompute
from kessa.core.judging.period import against_limits, figures
from kessa.core.quantities.quantity import Quantity


def read(value, off=0.5, censor=None, unit="mg/L"):
    low, high = (0.0, value) if censor == "<" else (value, None) if censor == ">" else (value - off, value + off)
    return Quantity(value, low, high, censor, unit, "Cl")


class Figures(TestCase):
    def test_by_hand(self):
        period = figures([read(2.0), read(4.0), read(9.0), read(1.0, censor="<")])
        self.assertEqual((period.number, period.below, period.over), (4, 1, 0))
        self.assertEqual((period.minimum.value, period.minimum.censor, period.maximum.value), (1.0, "<", 9.0))
        # Half of what is below 1: (2 + 4 + 9 + 0.5) / 4; its ends are those of 1.5, 3.5, 8.5, 0 and 2.5, 4.5, 9.5, 1.
        self.assertEqual((period.mean.value, period.mean.low, period.mean.high), (3.875, 3.375, 4.375))
        self.assertEqual(set(period.percentiles), {50})
        # The rank 0.5 · 4 = 2 of 1, 2, 4, 9.
        self.assertEqual(period.percentiles[50].value, 2.0)

    def test_percentiles_come_with_enough_results(self):
        period = figures([read(float(n)) for n in range(1, 21)])
        self.assertEqual({p: each.value for p, each in period.percentiles.items()}, {50: 10.0, 90: 18.0, 95: 19.0})

    def test_over_the_range_has_no_upper_end(self):
        period = figures([read(5.0), read(25.0, censor=">")])
        self.assertEqual((period.over, period.maximum.censor), (1, ">"))
        self.assertEqual((period.mean.censor, period.mean.high), (">", None))
        # The middle lies below what was over the range, the nineteenth of twenty among it.
        period = figures([*(read(float(n)) for n in range(1, 19)), *(read(25.0, censor=">") for _ in range(2))])
        told = {p: (each.censor, each.value, each.high) for p, each in period.percentiles.items()}
        self.assertEqual(told, {50: (None, 10.0, 10.5), 90: (None, 18.0, 18.5), 95: (">", 25.0, None)})

    def test_nothing_and_mixed_units_are_refused(self):
        for quantities in ([], [read(1.0), read(1.0, unit="ug/L")]):
            with self.assertRaises(CannotCompute):
                figures(quantities)

    @given(st.lists(st.floats(0.1, 1e6), min_size=1, max_size=60))
    def test_what_is_told_lies_in_order_between_the_least_and_the_most(self, values):
        period = figures([read(value, off=value / 10) for value in values])
        between = [each.value for _, each in sorted(period.percentiles.items())]
        told = [period.minimum.value, *between, period.maximum.value]
        self.assertEqual(told, sorted(told))
        self.assertLessEqual(min(values), period.mean.value * (1 + 1e-9))
        self.assertLessEqual(period.mean.value, max(values) * (1 + 1e-9))


class AgainstLimits(TestCase):
    def test_each_limit_is_counted_by_itself(self):
        same = {"set": "a", "set_version": 1, "statistic": "single sample", "unit": "mg/L", "as": "Cl", "source": "s"}

        def held(at_most, verdict, **data):
            return {**same, "min": None, "max": at_most, "verdict": verdict, **data}

        found = against_limits(
            [
                [held(120, "inside"), held(230, "inside")],
                [held(120, "outside"), held(200, "inside", rests_on="pH 7")],
                [held(120, "outside"), held(150, "outside", rests_on="pH 8")],
            ]
        )
        self.assertEqual(
            [(each.limit["max"], each.judged, each.verdicts) for each in found],
            [
                (120, 3, Counter({"outside": 2, "inside": 1})),
                (230, 1, Counter({"inside": 1})),
                (150, 2, Counter({"inside": 1, "outside": 1})),
            ],
        )
