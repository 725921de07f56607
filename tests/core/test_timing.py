"""Clocks and answers: when a reading may be taken, and what its course says about a result."""

from datetime import UTC, datetime, timedelta
from unittest import TestCase

from kessa.core.judging.limits import rule_sets
from kessa.core.judging.written import other_forms, written_form
from kessa.core.methods import expand, house_methods
from kessa.core.methods.drafts import read_file
from kessa.core.methods.schema import Method
from kessa.core.runs import events as runs
from kessa.core.runs.conclusion import conclude
from kessa.core.runs.state import derive
from kessa.core.runs.timing import clock_seconds, run_flags, timing

PHOTOMETER = house_methods()["nitrate-photometer"]
STRIP = house_methods()["strip-five-pads"]
YES, NO = ({"key": key, "name": key} for key in ("yes", "no"))
NINE = datetime(2026, 11, 24, 9, tzinfo=UTC)


def at(seconds):
    return NINE + timedelta(seconds=seconds)


def state(method, *events):
    made = [runs.Event(str(n), kind, n, at(second), data) for n, (kind, second, data) in enumerate(events, 1)]
    return derive(made, 0, tuple(part.key for part in method.parts))


def clock(second, step, seconds):
    return ("timer_started", second, {"step": step, "seconds": seconds})


def read(second, part="main", **reading):
    return ("reading_taken", second, {"part": part, "reading": reading})


class Timing(TestCase):
    def test_a_photometers_window_opens_when_the_clock_rings_and_closes(self):
        stands = next(n for n, step in enumerate(PHOTOMETER.steps) if step.wait and step.wait.within_s)
        for second, missed in ((299, "read-early"), (300, None), (420, None), (421, "read-late")):
            run = state(PHOTOMETER, clock(0, stands, 300), read(second, display=5))
            self.assertEqual(timing(PHOTOMETER, run, {}).get("main"), missed, second)
        self.assertEqual(timing(PHOTOMETER, state(PHOTOMETER, read(9, display=5)), {}), {"main": "not-timed"})

    def test_a_wait_that_is_no_readings_own_clock_is_kept_too(self):
        # Shaking: 180 s and no more than 15 over; then it stands for its reading.
        method = house_methods()["nitrate-low-photometer"]
        shake, stand = [n for n, step in enumerate(method.steps) if step.wait and step.wait.rule == "exact"][:2]
        rings = 200 + method.steps[stand].wait.seconds
        for second, flags in ((178, ("wait-cut-short",)), (180, ()), (195, ()), (196, ("wait-too-long",))):
            done = ("step_done", second, {"step": shake})
            run = state(method, clock(0, shake, 180), done, clock(200, stand, rings - 200), read(rings, display=0.2))
            self.assertEqual(run_flags(method, "main", {1: run}, {"cloudy": "clear"}), flags, second)
        # Where the method does not say how long over, a quarter.
        shaken = house_methods()["nitrate-ampoule"].steps[2].wait
        self.assertEqual((shaken.seconds, shaken.runs_over_after(120)), (120, 30))

    def test_each_pad_has_a_window_of_its_own_from_the_dip(self):
        taken = [read(20, part.key, at=part.numbers.steps[0]) for part in STRIP.parts]
        missed = timing(STRIP, state(STRIP, clock(0, 1, 15), *taken), {})
        self.assertEqual(missed, {"hardness": "read-early", "nitrite": "read-early", "nitrate": "read-early"})

    def test_waiting_longer_than_the_least_is_no_fault(self):
        meter = house_methods()["conductivity-meter"]
        self.assertEqual(timing(meter, state(meter, clock(0, 1, 30), read(900, display=5)), {}), {})
        self.assertEqual(timing(meter, state(meter, read(900, display=5)), {}), {})
        self.assertEqual(timing(meter, state(meter, clock(0, 1, 30), read(10, display=5)), {}), {"main": "read-early"})

    def test_a_late_stage_marks_its_own_part_alone(self):
        staged = house_methods()["chlorine-dioxide-stages"]
        waits = [(n, step.wait) for n, step in enumerate(staged.steps) if step.wait]
        dioxide, free = waits[1][0], waits[3][0]
        events = [clock(0, dioxide, 60), read(200, "chlorine-dioxide", display=0.34)]
        events += [clock(300, waits[2][0], 1), clock(620, free, 60), read(690, "free-chlorine", display=0.1)]
        run = {1: state(staged, *events, ("stopped", 700, {}))}
        self.assertEqual(run_flags(staged, "chlorine-dioxide", run, {}), ("read-late", "part-missing"))
        self.assertEqual(run_flags(staged, "free-chlorine", run, {}), ("part-missing",))

    def test_a_clocks_length_is_the_methods_word_also_where_it_is_computed(self):
        stands = next(n for n, step in enumerate(PHOTOMETER.steps) if step.wait and step.wait.within_s)
        cheated = state(PHOTOMETER, clock(0, stands, 1), read(2, display=5))
        self.assertEqual(timing(PHOTOMETER, cheated, {}), {"main": "read-early"})
        staged = house_methods()["chlorine-dioxide-stages"]
        strip = next(n for n, step in enumerate(staged.steps) if step.wait and step.wait.computed)
        run = state(staged, read(9, "chlorine-dioxide", display=0.34))
        # 240 s and 180 s for each mg/L, in whole seconds up.
        self.assertEqual(clock_seconds(staged, strip, run), 302)
        self.assertIsNone(clock_seconds(staged, strip, state(staged)))

    def test_a_step_that_does_not_apply_binds_no_reading(self):
        definition = house_methods()["iron-comparator"].snapshot()
        ask = {"kind": "ask", "text": "Rust?", "ask": {"key": "rust", "answers": [YES, NO]}}
        wait = {"text": "Boil", "when": {"rust": "yes"}, "wait": {"what": "boiling", "seconds": 300, "rule": "exact"}}
        definition["steps"] = [ask, wait, {"kind": "read", "text": "Read"}]
        method = Method.model_validate(definition)
        run = state(method, read(9, at=method.main.numbers.steps[0]))
        self.assertEqual(timing(method, run, {"rust": "no"}), {})
        self.assertEqual(timing(method, run, {"rust": "yes"}), {"main": "not-timed"})

    def test_answers_mark_the_result(self):
        run = {1: state(PHOTOMETER, read(9, display=5))}
        for answers, flags in (
            ({"ph": 7, "cloudy": "clear"}, ("not-timed",)),
            ({"ph": 9.5, "cloudy": "cloudy"}, ("not-timed", "ph-outside", "cloudy")),
            ({}, ("not-timed",)),
        ):
            self.assertEqual(run_flags(PHOTOMETER, "main", run, answers), flags)


EU = [rule_sets()["eu-2020"]]


class Writing(TestCase):
    def test_by_each_school(self):
        part = PHOTOMETER.main
        written = {school: written_form(part, school, EU) for school in ("limit", "element", "ion", "salt")}
        self.assertEqual(written, {"limit": "NO3", "element": "N", "ion": "NO3", "salt": "N"})
        self.assertEqual(written_form(part, "limit", []), "N")
        nitrite = house_methods()["nitrite-drops-5"].main
        self.assertEqual(written_form(nitrite, "salt", EU), "NaNO2")
        self.assertEqual(written_form(house_methods()["ph-meter"].main, "element", EU), None)

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
        self.assertTrue(any(fault.startswith("Line 6: Step 2, wait, seconds:") for fault in faults), faults)
        inline = 'steps = [\n    { text = "Fill" },\n    { text = "Wait", wait = { what = "x", seconds = 0 } },\n]\n'
        _, faults = read_file(inline)
        self.assertTrue(any(fault.startswith("Line 3: Step 2, wait, seconds:") for fault in faults), faults)
