"""Clocks and answers: when a reading may be taken, and what its course says about a result."""

from unittest import TestCase

from kessa.core import runs
from kessa.core.determination import conclude, run_flags, timing
from kessa.core.methods import expand, house_methods
from kessa.core.methods.drafts import read_file
from kessa.core.written import other_forms, written_form

PHOTOMETER = house_methods()["nitrate-photometer"]
STRIP = house_methods()["strip-five-pads"]
DAY = "2026-11-24T09:%02d:%02d.000Z"


def at(seconds):
    return DAY % divmod(seconds, 60)


def state(method, *events):
    made = [runs.Event(str(n), kind, n, at(second), data) for n, (kind, second, data) in enumerate(events, 1)]
    return runs.derive(made, 0, tuple(part.key for part in method.parts))


def clock(second, step, seconds):
    return ("timer_started", second, {"step": step, "seconds": seconds})


def read(second, part="main", **reading):
    return ("reading_taken", second, {"part": part, "reading": reading})


class Timing(TestCase):
    def test_a_photometers_window_opens_when_the_clock_rings_and_closes(self):
        stands = next(n for n, step in enumerate(PHOTOMETER.steps) if step.wait and step.wait.within_s)
        for second, missed in ((299, "read-early"), (300, None), (420, None), (421, "read-late")):
            run = state(PHOTOMETER, clock(0, stands, 300), read(second, display=5))
            self.assertEqual(timing(PHOTOMETER, run).get("main"), missed, second)
        self.assertEqual(timing(PHOTOMETER, state(PHOTOMETER, read(9, display=5))), {"main": "not-timed"})

    def test_each_pad_has_a_window_of_its_own_from_the_dip(self):
        taken = [read(20, part.key, at=part.numbers.steps[0]) for part in STRIP.parts]
        missed = timing(STRIP, state(STRIP, clock(0, 1, 15), *taken))
        self.assertEqual(missed, {"hardness": "read-early", "nitrite": "read-early", "nitrate": "read-early"})

    def test_waiting_longer_than_the_least_is_no_fault(self):
        meter = house_methods()["conductivity-meter"]
        self.assertEqual(timing(meter, state(meter, clock(0, 1, 30), read(900, display=5))), {})
        self.assertEqual(timing(meter, state(meter, read(900, display=5))), {})
        self.assertEqual(timing(meter, state(meter, clock(0, 1, 30), read(10, display=5))), {"main": "read-early"})

    def test_answers_mark_the_result(self):
        run = {1: state(PHOTOMETER, read(9, display=5))}
        for answers, flags in (
            ({"ph": 7, "cloudy": "clear"}, ("not-timed",)),
            ({"ph": 9.5, "cloudy": "cloudy"}, ("not-timed", "ph-outside", "cloudy")),
            ({}, ("not-timed",)),
        ):
            self.assertEqual(run_flags(PHOTOMETER, run, answers), flags)


class Writing(TestCase):
    def test_by_each_school(self):
        part = PHOTOMETER.main
        written = {school: written_form(part, school, ["eu-2020"]) for school in ("limit", "element", "ion", "salt")}
        self.assertEqual(written, {"limit": "NO3", "element": "N", "ion": "NO3", "salt": "N"})
        self.assertEqual(written_form(part, "limit", []), "N")
        nitrite = house_methods()["nitrite-drops-5"].main
        self.assertEqual(written_form(nitrite, "salt", ["eu-2020"]), "NaNO2")
        self.assertEqual(written_form(house_methods()["ph-meter"].main, "element", ["eu-2020"]), None)

    def test_the_kits_own_factor_comes_before_chemistry_and_is_named(self):
        method = house_methods()["nitrite-drops-5"]
        outcome = conclude(method, method.main, {1: {"count": 4}, 2: {"count": 4}}, written_as="NO2")
        self.assertAlmostEqual(outcome.quantity.value, 134)
        self.assertIn("× 0.67 by the kit's own factor = 134 mg/L as NO2", outcome.working[-1])
        there, line = method.main.written_as(conclude(method, method.main, {1: {"count": 4}}).quantity, "NO3")
        self.assertAlmostEqual(there.value, 200 * 62.004 / 68.995, 3)
        self.assertIn("by chemistry", line)
        self.assertEqual(other_forms(method.main, "NaNO2"), ["NO2", "N"])


class Files(TestCase):
    def test_ranges_fill_in_the_vessel_and_add_to_the_numbers(self):
        part = {"parameter": "zinc", "kind": "count", "unit": "mg/L", "numbers": {"stop_at": 20}}
        base = {"name": "Zinc, {vessel}", "parts": [part], "steps": [{"text": "Fill to {vessel}"}]}
        low, high = expand(
            base | {"ranges": [{"key": f"z-{ml}", "vessel": f"{ml} mL", "numbers": {"per": 50 / ml}} for ml in (10, 5)]}
        )
        self.assertEqual((low["name"], low["steps"][0]["text"], high["key"]), ("Zinc, 10 mL", "Fill to 10 mL", "z-5"))
        self.assertEqual(
            (low["parts"][0]["numbers"], base["parts"][0]["numbers"]), ({"stop_at": 20, "per": 5}, {"stop_at": 20})
        )

    def test_a_fault_in_a_step_is_found_on_its_line(self):
        text = '[[steps]]\ntext = "Fill"\n\n[[steps]]\ntext = "Wait"\nwait = { what = "x", seconds = 0 }\n'
        _, faults = read_file(text)
        self.assertTrue(any(fault.startswith("Line 6, steps.1.wait.seconds") for fault in faults), faults)
