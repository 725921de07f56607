"""Calibrations against textbook numbers, and what cannot be calibrated."""

from unittest import TestCase

from kessa.core.calibrating.kinds import calibrated
from kessa.core.calibrating.line import calibrated_by, fit_line
from kessa.core.calibrating.meters import calibrate_conductivity, calibrate_oxygen, calibrate_ph
from kessa.core.errors import CannotCompute
from kessa.core.quantities.students_t import students_t

TINY = {"standard": 5.0, "shown": 1e-320, "constant": 1.0, "temperature_c": 25.0, "compensated": True}


class Meters(TestCase):
    def figures(self, found):
        return {figure.name: figure for figure in found.figures}

    def test_an_electrode_by_nernst(self):
        # At 25 °C 59.16 mV a pH: such buffers are a slope of 100 % and no offset.
        ideal = self.figures(calibrate_ph([(4, 177.48), (7, 0), (10, -177.48)], 25))
        self.assertAlmostEqual(ideal["slope"].value, 100, 1)
        self.assertAlmostEqual(ideal["offset"].value, 0, 6)
        weak = calibrate_ph([(4.01, 150), (7.0, -2), (10.01, -150)], 22)
        self.assertFalse(weak.passed)
        self.assertEqual(weak.deciding.name, "slope")
        off = calibrate_ph([(4, 219), (7, 42)], 25)
        self.assertEqual(off.deciding.name, "offset")
        stale = calibrate_ph([(4, 177.5), (7, 0), (10, -160)], 25)
        self.assertFalse(self.figures(stale)["farthest off the line"].held)

    def test_a_cell_and_a_probe(self):
        cell = self.figures(calibrate_conductivity(1413, 1284, 1.0, 20, compensated=False))
        # 1284 at 20 °C is 1284 / (1 − 0.0191 × 5) at 25 °C.
        self.assertAlmostEqual(cell["cell constant"].value, 1413 * 0.9045 / 1284, 6)
        self.assertAlmostEqual(calibrate_oxygen(9.092, 20, 101.325).figures[0].value, 100, 1)
        self.assertFalse(calibrate_oxygen(7.9, 20, 101.325).passed)

    def test_what_cannot_be_calibrated_is_named(self):
        for what, field in (
            (lambda: calibrate_ph([(7, 0)], 20), "buffers"),
            (lambda: calibrate_ph([(7, 0), (7.2, -9)], 20), "buffers"),
            (lambda: calibrate_ph([(-1, 0), (7, -9)], 20), "buffers"),
            (lambda: calibrate_ph([(4, 0), (7, -9)], 90), "temperature_c"),
            (lambda: calibrate_conductivity(0, 1), "standard"),
            (lambda: calibrate_conductivity(1, 1, 1, 90), "temperature_c"),
            (lambda: calibrate_oxygen(-1, 20, 101), "shown"),
            (lambda: fit_line([(0, 0), (1, 1), (2, 2)]), "points"),
            (lambda: fit_line([(0, 1), (1, 0.8), (2, 0.5), (3, 0.2)]), "points"),
            (lambda: fit_line([(n * 1e-320, n) for n in range(5)]), "points"),
            (lambda: calibrated("?", {}), "kind"),
            (lambda: calibrated("conductivity", TINY), "standard"),
        ):
            with self.assertRaises(CannotCompute) as refused:
                what()
            self.assertEqual(refused.exception.field, field)


class Lines(TestCase):
    def test_students_t_as_tables_have_it(self):
        for freedom, point in ((1, 12.706), (2, 4.303), (5, 2.571), (10, 2.228), (30, 2.042), (100, 1.984)):
            self.assertAlmostEqual(students_t(freedom), point, 3)
        # It falls on without a step where it is no longer summed.
        for freedom, point in ((400, 1.96591), (401, 1.96590), (1000, 1.96234), (10**6, 1.95997)):
            self.assertAlmostEqual(students_t(freedom), point, 4)

    def test_a_line_with_its_intervals_range_and_bend(self):
        # A worked example: slope, intercept, residual deviation and the half of the slope's interval by hand.
        points = [(0, 2.1), (2, 5.0), (4, 9.0), (6, 12.6), (8, 17.3), (10, 21.0), (12, 24.7)]
        line = fit_line(points)
        self.assertAlmostEqual(line.slope, 1.9304, 4)
        self.assertAlmostEqual(line.intercept, 1.5179, 4)
        self.assertAlmostEqual(line.residual, 0.4328, 4)
        self.assertAlmostEqual(line.slope_half, 2.571 * 0.0409, 3)
        self.assertAlmostEqual(line.intercept_half, 2.571 * 0.2949, 3)
        self.assertFalse(line.is_curved)
        bent = fit_line([(x, 0.2 * x - 0.012 * x * x + (-1) ** x * 0.001) for x in range(6)])
        self.assertTrue(bent.is_curved)
        self.assertFalse(calibrated_by(bent).passed)
        self.assertGreater(bent.range[0], bent.detects)
        straight = fit_line([(x, 0.2 * x) for x in range(6)])
        self.assertFalse(straight.is_curved)
        self.assertAlmostEqual(straight.farthest, 0, 9)
        # Two of the highest standard that lie 12.5 % to either side: each of them passes, a line by them does not.
        wide = fit_line([(0, 0), (1, 1), (4, 4.5), (4, 3.5)])
        self.assertEqual(wide.range, (4, 4))
        self.assertEqual([each.held for each in calibrated_by(wide).figures], [True, True, False])
