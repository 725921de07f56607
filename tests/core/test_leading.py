"""What a method asks of the water where it is led, what it does about the answer, and what follows from its parts."""

import math
from datetime import UTC, datetime
from unittest import TestCase

from pydantic import ValidationError

from kessa.core.job.hazards import hazards, hazards_of
from kessa.core.job.place_kinds import place_kinds
from kessa.core.job.supplies import supplies
from kessa.core.methods import house_methods
from kessa.core.methods.leading import led_at
from kessa.core.methods.schema import Method
from kessa.core.planning.packing import Planned, needs, used_by
from kessa.core.quantities.quantity import Quantity
from kessa.core.runs.conclusion import Outcome, conclude, conclude_computed
from kessa.core.runs.events import Event
from kessa.core.runs.state import derive
from kessa.core.runs.timing import run_flags

NOW = datetime(2026, 1, 12, 9, tzinfo=UTC)
METHODS, KINDS = house_methods(), place_kinds()
CHLORIDE = METHODS["chloride-drops-25"]


def asked(method):
    return list(method.asks)


def mg(value, low, high, censor=None, form="CaCO3"):
    return Quantity(value, low, high, censor, "mg/L", form)


class Leading(TestCase):
    def test_every_window_is_asked_or_taken_from_the_sample(self):
        for method in METHODS.values():
            with self.subTest(method.key):
                windows = {"ph": method.ph_window, "temperature": method.temperature_c}
                led = led_at(method, KINDS["stream"])
                for key, window in windows.items():
                    if window and not (key == "temperature" and method.reads_temperature):
                        self.assertEqual((led.asks[key].least, led.asks[key].most), window)
                        fits = {key: (window[0] + window[1]) / 2}
                        self.assertEqual(key in led_at(method, KINDS["stream"], fits).asks, key in method.asks)
                        self.assertIn(key, led_at(method, KINDS["stream"], {key: window[1] + 1}).asks)
                self.assertEqual(led_at(method, None).asks.keys() - method.asks.keys(), set())

    def test_a_changed_method_is_led_as_it_is_now_and_each_water_in_its_own_way(self):
        with_more = CHLORIDE.model_copy(update={"wear": "goggles and an apron"})
        ways = [led_at(method, KINDS[kind]) for method in (CHLORIDE, with_more) for kind in ("stream", "boiler")]
        self.assertEqual([way.wear for way in ways], [CHLORIDE.wear] * 2 + [with_more.wear] * 2)
        self.assertNotEqual(ways[0].steps, ways[1].steps)
        self.assertIs(led_at(CHLORIDE, KINDS["stream"]), ways[0])

    def test_what_was_answered_or_missed_marks_the_result(self):
        led = led_at(METHODS["ammonia-comparator"], KINDS["stream"])

        def flags(**answers):
            return run_flags(led, "main", {}, answers)

        self.assertEqual(flags(ph=7, temperature=20), ())
        self.assertEqual(flags(ph=11, temperature=4), ("ph-outside", "temperature-outside"))
        self.assertEqual(flags(temperature="unknown"), ("ph-not-measured", "temperature-not-measured"))

    def test_a_temperature_that_is_read_with_it_is_held_against_the_window(self):
        meter = led_at(METHODS["conductivity-uncompensated"], KINDS["stream"])
        self.assertNotIn("temperature", meter.asks)

        def flags(warm):
            events = [
                Event(
                    "a", "reading_taken", 1, NOW, {"part": "main", "reading": {"display": 900, "temperature_c": warm}}
                )
            ]
            return run_flags(meter, "main", {1: derive(events, 0, ("main",))}, {})

        self.assertEqual((flags(12), flags(1)), ((), ("temperature-outside",)))

    def test_boiler_water_is_neutralised_and_its_sulfite_taken_away_by_steps_of_their_own(self):
        boiler, brook = led_at(CHLORIDE, KINDS["boiler"]), led_at(CHLORIDE, KINDS["stream"])
        treating = {"neutralising-acid", "phenolphthalein", "peroxide"}
        self.assertFalse(treating & {use.supply for use in brook.uses})
        self.assertNotIn("scavenger", asked(brook))
        alkaline = {"ph": 11.7, "scavenger": "yes"}
        done = " ".join(step.text for step in boiler.steps if boiler.applies(step, alkaline))
        self.assertRegex(done, "neutralising acid.*pH now.*Peroxide")
        plain = {"ph": 8.0, "scavenger": "no"}
        self.assertFalse([step for step in boiler.steps if step.when and boiler.applies(step, plain)])
        self.assertEqual(treating & set(used_by(boiler, 2, answers=plain)), set())
        self.assertLessEqual(treating, set(used_by(boiler, 2, answers=alkaline)))
        self.assertLessEqual(treating, set(needs([Planned(boiler)])))
        # What a step sets right is not held against the result; what it is afterwards is.
        self.assertEqual(run_flags(boiler, "main", {}, alkaline | {"ph-after": 8.2}), ())
        self.assertEqual(run_flags(boiler, "main", {}, alkaline | {"ph-after": 5.0}), ("ph-outside",))
        self.assertEqual(run_flags(boiler, "main", {}, alkaline), ("ph-not-measured",))
        self.assertEqual(run_flags(brook, "main", {}, {"ph": 11.7}), ("ph-outside",))
        self.assertIn("Hot water under pressure", boiler.steps[0].caution)
        self.assertIsNone(brook.steps[0].caution)
        self.assertEqual(boiler.condition(next(step for step in boiler.steps if "ph" in step.when)), "pH above 10")
        peroxide = next(step for step in boiler.steps if step.text.startswith("Peroxide"))
        question = "Does it hold sulfite or another oxygen scavenger?"
        self.assertEqual(boiler.condition(peroxide), f"“Yes, or nobody knows” to “{question}”")

    def test_a_condition_that_nothing_asks_is_refused(self):
        for field, each in (
            ("steps", {"text": "x", "when": {"ph": "sour"}}),
            ("steps", {"text": "x", "when": {"smell": "yes"}}),
            ("uses", {"supply": "peroxide", "amount": 1.0, "when": {"smell": "yes"}}),
        ):
            definition = CHLORIDE.snapshot()
            definition[field].append(each)
            with self.subTest(each), self.assertRaisesRegex(ValidationError, "nothing asks"):
                Method.model_validate(definition)

    def test_whatever_a_step_names_is_packed(self):
        named = {"peroxide": "peroxide", "thiosulfate": "thiosulfate", "digestion acid": "digestion-acid"}
        for method in METHODS.values():
            texts = " ".join(step.text.lower() for step in method.steps)
            for word, supply in named.items():
                if word in texts:
                    self.assertIn(supply, {use.supply for use in method.uses}, method.key)

    def test_every_hazard_is_of_supplies_there_are_and_says_the_first_thing_to_do(self):
        for hazard in hazards():
            self.assertFalse(set(hazard.supplies) - set(supplies()), hazard.key)
            self.assertTrue(hazard.harm and hazard.first_aid)
        keys = [each.key for each in hazards_of(["azide-solution", "chromate-packet"])]
        self.assertEqual(keys, ["chromate", "azide"])
        self.assertTrue(all(each.away for each in hazards() if "cancer" in each.harm))


class Files(TestCase):
    def used(self, key):
        return {use.supply for use in METHODS[key].uses}

    def test_total_after_free_takes_iodide_alone_and_a_rod_of_its_own(self):
        self.assertIn("iodide-tablet", self.used("chlorine-photometer"))
        self.assertNotIn("dpd-total-tablet", self.used("chlorine-photometer"))
        self.assertIn("second-rod", METHODS["chlorine-photometer"].gear)

    def test_two_millilitres_are_pipetted_and_made_up(self):
        small = METHODS["chloride-drops-2"]
        self.assertIn("2 mL of sample by pipette", " ".join(step.text for step in small.steps))
        self.assertIn("pipette", small.gear)
        self.assertNotIn("pipette", CHLORIDE.gear)
        self.assertIn("Fill with sample to the 25 mL line", [step.text for step in CHLORIDE.steps])

    def test_total_iron_is_neutralised_before_it_is_made_up(self):
        texts = " ".join(step.text for step in METHODS["iron-photometer"].steps)
        self.assertRegex(texts, "gentle boil.*lye drop by drop.*only then make up to 25 mL")
        answers = {"fraction": "total", "ph": 4}
        self.assertLessEqual(
            {"digestion-acid", "digestion-lye"}, set(used_by(METHODS["iron-photometer"], 1, answers=answers))
        )

    def test_what_spoils_in_the_warm_is_kept_cold(self):
        for method in METHODS.values():
            if method.main.parameter in ("nitrate", "nitrite", "ammonia") and (method.keeps_hours or 0) > 1:
                self.assertIn("up to 6 °C", method.keep or "", method.key)

    def test_pads_and_discs_have_their_zero(self):
        for key, parts in (
            ("strip-five-pads", 4),
            ("nitrate-strip", 2),
            ("cloudiness-discs", 1),
            ("hardness-strip", 1),
        ):
            zeros = [part for part in METHODS[key].parts if part.numbers.steps[0] == 0]
            self.assertEqual(len(zeros), parts, key)
            none = zeros[0].determine({"at": 0}).quantity
            self.assertEqual((none.value, none.low), (0, 0))
            self.assertGreater(none.high, 0)


class Following(TestCase):
    def computed(self, key, **found):
        method = METHODS[key]
        outcomes = {part: Outcome("agreed", quantity, (1, 2)) for part, quantity in found.items()}
        return conclude_computed(method, method.computes[0], outcomes)

    def chlorine(self, free, total):
        return self.computed("chlorine-photometer", free=free, total=total).quantity

    def test_combined_chlorine_is_total_less_free_with_both_their_doubts(self):
        found = self.chlorine(mg(0.4, 0.36, 0.44, form="Cl2"), mg(1.0, 0.93, 1.07, form="Cl2"))
        # √(0.04² + 0.07²) to either side.
        self.assertEqual([round(x, 4) for x in (found.value, found.low, found.high)], [0.6, 0.5194, 0.6806])
        less = self.chlorine(mg(0.5, 0.46, 0.54, form="Cl2"), mg(0.48, 0.44, 0.52, form="Cl2"))
        self.assertEqual((less.censor, round(less.value, 9), less.low), ("<", 0.06, 0))
        # Of what is below its limit there may be none.
        none = self.chlorine(mg(0.03, 0, 0.03, "<", "Cl2"), mg(1.0, 0.93, 1.07, form="Cl2"))
        self.assertEqual((none.value, none.high, round(none.low, 4)), (1.0, 1.07, 0.9238))
        over = self.chlorine(mg(0.5, 0.46, 0.54, form="Cl2"), mg(4.0, 4.0, None, ">", "Cl2"))
        self.assertEqual((over.censor, over.value, over.high), (">", 3.46, None))
        self.assertIsNone(self.chlorine(mg(4.0, 4.0, None, ">", "Cl2"), mg(4.0, 4.0, None, ">", "Cl2")))

    def test_what_is_computed_is_checked_like_what_is_read(self):
        definition = METHODS["chlorine-photometer"].snapshot()
        for changes, words in (
            ({"as": "cl2"}, "did you mean Cl2"),
            ({"unit": "ug/L"}, "written alike"),
            ({"minus": "none"}, "not there"),
            ({"minus": None}, "taken off"),
            ({"rule": "table"}, "of a table nothing"),
        ):
            with self.subTest(changes), self.assertRaisesRegex(ValidationError, words):
                Method.model_validate({**definition, "computes": [{**definition["computes"][0], **changes}]})

    def test_hydroxide_is_twice_p_less_the_total(self):
        found = self.computed("alkalinity-stages-drops-25", p=mg(410, 400, 415), total=mg(560, 550, 570))
        ends = (260 - math.hypot(2 * 10, 10), 260 + math.hypot(2 * 5, 10))
        self.assertEqual((found.quantity.value, found.quantity.low, found.quantity.high), (260, *ends))
        none = self.computed("alkalinity-stages-drops-25", p=mg(100, 96, 104), total=mg(560, 550, 570))
        self.assertEqual((none.quantity.value, none.quantity.high), (0, 0))

    def test_a_freezing_point_is_looked_up_inside_its_table_only(self):
        def glycol(value, low, high):
            return self.computed("glycol-propylene", glycol=Quantity(value, low, high, None, "%", None)).quantity

        found = glycol(30, 28.5, 31.5)
        self.assertEqual(found.value, -13.3)
        self.assertLess(found.low, -14.3)
        self.assertGreater(found.high, -12.3)
        self.assertIsNone(glycol(55, 53, 57))

    def test_two_stages_in_one_vessel_agree_each_by_itself(self):
        method = METHODS["chlorine-drops-25"]
        combined = method.part("combined")
        outcome = conclude(method, combined, {1: {"count": 5}, 2: {"count": 6}})
        self.assertEqual((outcome.state, round(outcome.quantity.value, 9)), ("agreed", 1.1))
        with self.assertRaisesRegex(ValidationError, "of several counts the first"):
            Method.model_validate({**method.snapshot(), "parts": method.snapshot()["parts"][::-1]})


class LongerCell(TestCase):
    def test_a_longer_cell_sees_less_and_comes_to_its_end_sooner(self):
        iron = METHODS["iron-photometer"].main

        def found(absorbance, path_mm):
            return iron.determine({"absorbance": absorbance, "path_mm": path_mm}).quantity

        self.assertEqual((found(0.005, 10).censor, found(0.005, 25).value), (None, 0.01))
        self.assertEqual((found(0.002, 10).censor, found(0.002, 10).value), ("<", 0.02))
        self.assertEqual((found(0.7, 25).censor, round(found(0.7, 25).value, 9)), (">", 1.2))
        # 5.8 % of 0.01, and 0.01 of the short cell, of which the long one sees 10/25.
        self.assertAlmostEqual(found(0.005, 25).high - found(0.005, 25).value, 0.00058 + 0.004)
