"""What a number means to a place: derived by itself, judged by sets of one's own, asked about, seen over the years."""

import re
from datetime import UTC, datetime, timedelta
from unittest.mock import patch

import time_machine
from django.core.exceptions import ValidationError
from django.urls import reverse
from django.utils import timezone

from kessa.core.judging.limits import rule_sets
from kessa.record.actions.systems import system_of
from kessa.record.advice.place_status import restate
from kessa.record.instruments.models import Instrument, InstrumentCheck
from kessa.record.places.models import Pair, Place
from kessa.record.places.services import keep_pair, keep_place, part_pair
from kessa.record.quality.services import check_instrument
from kessa.record.results import filters
from kessa.record.results.models import Mark, Result
from kessa.record.results.written import fill_found_by
from kessa.record.rules.models import OwnRuleSet
from kessa.record.rules.selectors import house_rules, sets_named
from kessa.record.rules.services import begin_set, choose_house_rules, publish_set
from kessa.record.taps.services import record, tapped
from kessa.record.testing.corrections import correct_reading
from kessa.record.testing.exclusions import exclude
from kessa.record.testing.services import begin_test
from kessa.record.visits.models import Visit
from kessa.record.visits.services import correct_observation
from tests.app.pages import PageTest
from tests.world import (
    Taps,
    begin,
    drawn,
    measured,
    member,
    note,
    read,
    seen,
    send,
    standing,
    stocked_kit,
    team_of,
    visited,
)


class MeaningTest(PageTest):
    def setUp(self):
        self.ines, self.place = team_of("Ines")
        self.team = self.ines.team
        self.client.force_login(self.ines.user)

    def on(self, sample, method, *readings, part="main", **answers):
        """Run a test on a sample through to its result."""
        test = begin_test(self.ines, {"sample": str(sample.pk), "method": method}, at=timezone.now())
        taps = Taps()
        for key, value in answers.items():
            taps.answer(key, value)
        stored = send(self.ines, test, taps.read(*readings, part=part).close())
        self.assertEqual(stored.refused, [])
        return standing(test)

    def derived(self, part):
        rows = Result.objects.for_team(self.team).current().filter(family="derived", part=part)
        return rows.order_by("-pk").first()

    def publish(self, *limits, key="", title="Ours", why="As our supplier says."):
        draft = begin_set(self.ines, {"title": title, "applies_to": "plant", "limits": list(limits)}, key)
        if key:
            draft.definition["limits"] = list(limits)
            draft.save()
        return publish_set(self.ines, draft, why=why)


class Derived(MeaningTest):
    def test_saturation_follows_from_oxygen_warmth_and_height_and_goes_with_them(self):
        self.place.elevation_m = 320
        keep_place(self.ines, self.place)
        sample = drawn(self.place, self.ines)
        oxygen = self.on(sample, "oxygen-ampoule", {"at": 8}, {"at": 8})
        self.assertIsNone(self.derived("oxygen-saturation"))
        page = self.client.get(reverse("results:result", args=[oxygen.pk]))
        self.assertContains(page, "Oxygen saturation would follow: it needs the temperature of the same sample.")
        note(self.ines, sample.visit, ("temperature", 12.0))
        found = self.derived("oxygen-saturation")
        self.assertAlmostEqual(found.value, 77.1, delta=0.5)
        self.assertTrue(found.low < found.value < found.high)
        page = self.client.get(reverse("results:result", args=[found.pk]))
        for words in ("Benson and Krause", "temperature 12 °C", "height of the place 320 m", "Rests on"):
            self.assertContains(page, words)
        self.assertNotContains(self.client.get(reverse("results:result", args=[oxygen.pk])), "would follow")
        correct_reading(self.ines, oxygen.determination, 1, {"at": 4}, why="misread")
        correct_reading(self.ines, oxygen.determination, 2, {"at": 4}, why="misread")
        half = self.derived("oxygen-saturation")
        self.assertAlmostEqual(half.value, found.value / 2, delta=0.5)
        self.assertContains(self.client.get(reverse("results:result", args=[found.pk])), "Superseded")
        exclude(self.ines, standing(oxygen.determination), why="a bubble")
        self.assertIsNone(self.derived("oxygen-saturation"))

    def test_make_up_a_day_follows_from_two_readings_of_its_meter_and_not_from_one_that_runs_backwards(self):
        boiler = Place(team=self.team, name="Boiler", kind_key="boiler", without_limits=True)
        keep_place(self.ines, boiler)
        for days_ago, meter in ((14, 1200.0), (4, 1230.0), (0, 1100.0)):
            visit = visited(boiler, self.ines, days_ago=days_ago, plant_ready="on")
            data = {"value": meter, "instrument": None}
            tap = tapped("observed", data, run="make_up", at=visit.started_at + timedelta(minutes=3))
            self.assertEqual(record(self.ines, "visit", visit.pk, [tap]).refused, [])
        values = list(Result.objects.for_team(self.team).current().filter(part="make-up").values_list("value", "unit"))
        self.assertEqual(len(values), 1)
        self.assertAlmostEqual(values[0][0], 3.0, delta=0.35)
        self.assertEqual(values[0][1], "m³/day")

    def test_a_doubt_about_what_it_rests_on_is_carried_and_lifted_with_it(self):
        sample = drawn(self.place, self.ines, water_temperature_c=10)
        self.on(sample, "ph-meter", 8.1)
        ammonia = self.on(sample, "ammonia-comparator", {"at": 1}, {"at": 1})
        found = self.derived("unionised-ammonia")
        self.assertEqual((found.form, found.unit), ("NH3", "mg/L"))
        check = begin_test(
            self.ines, {"method": "ammonia-comparator", "purpose": "standard", "against": {"expected": 4}}
        )
        send(self.ines, check, Taps().read({"at": 1}, {"at": 1}).close())
        self.assertIn("quality-bad", Result.objects.for_team(self.team).get(pk=ammonia.pk).flags)
        self.assertIn("quality-bad", self.derived("unionised-ammonia").flags)
        page = reverse("quality:withdraw_check", args=[check.pk])
        self.client.post(page, {"why": "the wrong bottle"})
        self.assertNotIn("quality-bad", self.derived("unionised-ammonia").flags)

    def test_cycles_follow_the_supply_and_know_one_bottle_on_both_sides(self):
        tower = Place(team=self.team, name="Tower", kind_key="cooling-tower", without_limits=True)
        supply = Place(team=self.team, name="Mains", kind_key="supply", without_limits=True)
        for place in (tower, supply):
            keep_place(self.ines, place)
        keep_pair(self.ines, Pair(team=self.team, kind="supply", first=supply, second=tower))
        measured(tower, self.ines, 20, 20)
        self.assertIsNone(self.derived("cycles-by-chloride"))
        feed = measured(supply, self.ines, 5, 5)
        apart = self.derived("cycles-by-chloride")
        self.assertAlmostEqual(apart.value, 4.0)
        self.assertIn(feed.pk, apart.made_from["results"])
        for number in (1, 2):
            correct_reading(self.ines, feed.determination, number, {"count": 10, "endpoint": True}, why="misread")
        self.assertAlmostEqual(self.derived("cycles-by-chloride").value, 2.0)
        exclude(self.ines, standing(feed.determination), why="the wrong tap")
        self.assertIsNone(self.derived("cycles-by-chloride"))
        # With the same bottle on both sides most of its error cancels.
        kit = stocked_kit(self.ines)
        for place, count in ((tower, 20), (supply, 5)):
            test = begin(place, self.ines, kit=kit.pk)
            runs = Taps().answer("ph", 7.2).run("blank-1", 1).run("sample-1", count).run("sample-2", count)
            send(self.ines, test, runs.close())
        together = self.derived("cycles-by-chloride")
        self.assertAlmostEqual(together.value, 4.0)
        self.assertLess(together.high - together.low, 0.97 * (apart.high - apart.low))
        page = self.client.get(reverse("results:result", args=[together.pk]))
        self.assertContains(page, "counted with one bottle")
        self.assertContains(page, "at Mains")

    def test_what_rests_on_a_strip_keeps_its_rule_wherever_people_drink(self):
        choose_house_rules(self.ines, house_rules(self.team), {"near_limit": "simple"})
        spring = Place(team=self.team, name="Spring", kind_key="stream", limit_sets=["who-gdwq"], feeds=["people"])
        keep_place(self.ines, spring)
        test = begin(spring, self.ines, "nitrate-strip")
        taps = Taps().read({"at": 0.5}, part="nitrite").read({"between": [25, 50]}, part="nitrate")
        self.assertEqual(send(self.ines, test, taps.close()).refused, [])
        [judgement] = self.derived("nitrogen-ratio").judgements
        self.assertEqual((judgement["rule"], judgement["verdict"]), ("guarded", "not settled"))

    def test_the_warmth_of_a_sample_is_its_own_and_a_supply_s_doubt_goes_on_to_its_system(self):
        self.place.elevation_m = 0
        keep_place(self.ines, self.place)
        sample = drawn(self.place, self.ines, water_temperature_c=10)
        note(self.ines, sample.visit, ("temperature", 20.0))
        self.on(sample, "oxygen-ampoule", {"at": 8}, {"at": 8})
        self.assertIn("temperature 10 °C", self.derived("oxygen-saturation").working[0])
        tower = Place(team=self.team, name="Tower", kind_key="cooling-tower", without_limits=True)
        supply = Place(team=self.team, name="Mains", kind_key="supply", without_limits=True)
        meters = []
        for place, shown in ((tower, 1200), (supply, 300)):
            keep_place(self.ines, place)
            meters.append(
                Instrument.objects.create(team=self.team, name=f"{place}", measures="conductivity", resolution=1)
            )
            visit = visited(place, self.ines, **({"plant_ready": "on"} if place.kind.is_plant else {}))
            note(self.ines, visit, ("conductivity", shown, meters[-1].pk))
        drawn(tower, self.ines)
        keep_pair(self.ines, Pair(team=self.team, kind="supply", first=supply, second=tower))
        note(self.ines, Visit.objects.for_team(self.team).get(place=supply), ("temperature", 12.0))
        self.assertAlmostEqual(self.derived("cycles-by-conductivity").value, 4)
        given = {"standard": "sealed", "reading": 1300, "expected": 1413, "allowed": 28}
        failed = InstrumentCheck(
            team=self.team, instrument=meters[1], person=self.ines.user, at=timezone.now(), **given
        )
        check_instrument(self.ines, failed)
        self.assertIn("check-failed", self.derived("cycles-by-conductivity").flags)


class Judged(MeaningTest):
    def test_an_ammonia_criterion_waits_for_ph_and_warmth_and_is_judged_anew_when_they_come(self):
        sample = drawn(self.place, self.ines)
        ammonia = self.on(sample, "ammonia-comparator", {"at": 1.5}, {"at": 1.5})
        page = self.client.get(reverse("results:result", args=[ammonia.pk]))
        self.assertContains(page, "it needs pH and temperature of the same sample")
        self.assertEqual(ammonia.verdict, "")
        note(self.ines, sample.visit, ("temperature", 18.0))
        self.on(sample, "ph-meter", 8.4)
        now = standing(ammonia.determination)
        self.assertNotEqual(now.pk, ammonia.pk)
        self.assertEqual((now.verdict, now.value), ("outside", ammonia.value))
        self.assertIn("judged-anew", now.flags)
        page = self.client.get(reverse("results:result", args=[now.pk]))
        self.assertContains(page, "The limit follows from pH 8.4, temperature 18")
        self.assertContains(page, "What ammonia does to a")

    def test_a_set_of_ones_own_is_written_previewed_kept_with_a_reason_and_old_verdicts_stay(self):
        limit = {
            "parameter": "chloride",
            "as": "Cl",
            "unit": "mg/L",
            "max": 60,
            "rule": "simple",
            "do_high": "Ring Per.",
            "kinds": ["stream"],
        }
        ours = self.publish(limit)
        self.place.limit_sets = [ours.key]
        keep_place(self.ines, self.place)
        before = measured(self.place, self.ines, 12, 12)
        self.assertEqual((before.value, before.verdict), (48, "inside"))
        # The next version: a draft, what it would change, and the reason.
        page = self.client.post(reverse("rules:begin_from", args=[ours.key]), follow=True)
        draft = OwnRuleSet.objects.for_team(self.team).get(published_at=None)
        self.assertContains(page, "draft of version")
        form = {"parameter": "chloride", "form": "Cl", "unit": "mg/L", "max": "40", "rule": "simple"}
        form |= {"statistic": "single sample", "do_high": "Ring Per, then bleed.", "protects": "equipment"}
        wrong = self.client.post(reverse("rules:limit", args=[draft.pk, 0]), form | {"min": "50"})
        self.assertContains(wrong, "min is above its max", status_code=422)
        self.client.post(reverse("rules:limit", args=[draft.pk, 0]), form)
        draft.refresh_from_db()
        [kept] = draft.definition["limits"]
        # What the form does not ask about stays.
        self.assertEqual((kept["protects"], kept["kinds"], kept["max"]), ("equipment", ["stream"], 40))
        check = reverse("rules:check", args=[draft.pk])
        self.assertContains(self.client.get(check), "would be judged otherwise")
        self.assertContains(self.client.post(check, {"why": " "}), "Say why", status_code=422)
        self.client.post(check, {"why": "New contract, 1 March."})
        test = begin(self.place, self.ines, at=timezone.now())
        runs = Taps().answer("ph", 7.2).run("blank-1", 1).run("sample-1", 12).run("sample-2", 12)
        send(self.ines, test, runs.close())
        after = standing(test)
        self.assertEqual((before.verdict, after.verdict), ("inside", "outside"))
        page = self.client.get(reverse("results:result", args=[after.pk]))
        self.assertContains(page, '<p class="next">Ring Per, then bleed.</p>', html=True)
        self.assertEqual((before.judgements[0]["set_version"], after.judgements[0]["set_version"]), (1, 2))
        page = self.client.get("/rules/")
        self.assertContains(page, "New contract, 1 March.")
        # What was begun before the new version is judged by the one of its day.
        then = sets_named(self.team.pk, [ours.key], before.determination.started_at)
        self.assertEqual((then[0].version, sets_named(self.team.pk, [ours.key])[0].version), (1, 2))
        self.client.post(reverse("rules:retire", args=[ours.key]))
        self.assertNotContains(self.client.get("/places/new/boiler/"), 'value="own-ours"')

    def test_a_set_goes_out_and_comes_in_as_a_file(self):
        file = self.client.get(reverse("rules:export", args=["programme-tower"])).content.decode()
        self.assertIn('parameter = "cycles of concentration"', file)
        page = self.client.post(reverse("rules:take_in"), {"text": file}, follow=True)
        self.assertContains(page, "No place is judged by this set yet")
        draft = OwnRuleSet.objects.for_team(self.team).get()
        self.assertEqual(len(draft.rule_set.limits), len(rule_sets()["programme-tower"].limits))
        for text, words in (
            (file.replace('unit = "pH"', 'unit = "furlong"', 1), "Limit 1: furlong is no unit"),
            ("no = [", "This is no TOML"),
            ('title = "x"', "applies_to is missing"),
        ):
            refused = self.client.post(reverse("rules:take_in"), {"text": text})
            self.assertContains(refused, words, status_code=422)
        self.client.force_login(member(self.team, "Olek").user)
        self.assertEqual(self.client.post(reverse("rules:begin")).status_code, 403)
        self.assertNotContains(self.client.get("/rules/"), "Write a set of your own")

    @time_machine.travel(datetime(2026, 11, 30, 10, tzinfo=UTC))
    def test_a_running_annual_average_one_quarter_short_is_not_judged_and_says_which(self):
        tap = Place(team=self.team, name="Works", kind_key="tap", limit_sets=["us-primary"])
        keep_place(self.ines, tap)
        for days_ago in (330, 240):
            self.chlorine(tap, days_ago)
        last = self.chlorine(tap, 0)
        self.assertEqual(last.verdict, "")
        page = self.client.get(reverse("results:result", args=[last.pk]))
        self.assertContains(page, "for the running annual average: of each quarter one, at least")
        self.chlorine(tap, 120)
        last = self.chlorine(tap, 0)
        averaged = next(each for each in last.judgements if each["statistic"] == "running annual average")
        self.assertIn("mean of four calendar quarters of monthly means", averaged["of"])
        self.assertEqual(averaged["verdict"], "inside")
        # It says on what it rests: on all, or only on what a second person looked at.
        self.assertTrue(averaged["of"].endswith("readings, reviewed or not"), averaged["of"])
        choose_house_rules(self.ines, house_rules(self.team), {"before_review": "waits"})
        unseen = self.chlorine(tap, 0)
        self.assertEqual(unseen.verdict, "")
        Visit.objects.for_team(self.team).filter(place=tap).update(review="released")
        averaged = next(each for each in self.chlorine(tap, 0).judgements if each["statistic"] == averaged["statistic"])
        self.assertTrue(averaged["of"].endswith("readings, of what is reviewed"), averaged["of"])

    def chlorine(self, place, days_ago):
        test = begin(place, self.ines, "chlorine-photometer", days_ago=days_ago)
        stored = send(
            self.ines, test, Taps(days_ago=days_ago).read(0.8, 0.8, part="free").read(0.9, 0.9, part="total").close()
        )
        self.assertEqual(stored.refused, [])
        return Result.objects.for_team(self.team).current().filter(determination=test, part="free").get()

    def test_a_boiler_at_another_pressure_is_asked_which_band_holds(self):
        boiler = Place(team=self.team, name="Boiler", kind_key="boiler", facts={"pressure_bar": 9.0})
        boiler.limit_sets = ["programme-boiler-low"]
        keep_place(self.ines, boiler)
        address = reverse("places:edit", args=[boiler.pk])
        data = {"name": "Boiler", "fact_pressure_bar": "30", "limit_sets": ["programme-boiler-low"]}
        asked = self.client.post(address, data)
        self.assertContains(asked, "What you changed changes what fits", status_code=422)
        form = asked.context["form"]
        self.assertEqual(form["limit_sets"].value(), ["programme-boiler-medium"])
        looked = {"limit_sets": form["limit_sets"].value(), "looked_over": form["looked_over"].value()}
        self.assertEqual(self.client.post(address, data | looked).status_code, 302)
        boiler.refresh_from_db()
        self.assertEqual((boiler.facts["pressure_bar"], boiler.limit_sets), (30.0, ["programme-boiler-medium"]))
        # Who knows better keeps the old band, having been asked.
        self.assertEqual(self.client.post(address, data | {"fact_pressure_bar": "35"}).status_code, 302)


class Asked(MeaningTest):
    def usual(self, n=9, counts=(10, 10)):
        for days_ago in range(n, 0, -1):
            measured(self.place, self.ines, *counts, days_ago=days_ago * 7)

    def test_a_slip_of_a_digit_is_asked_about_flagged_if_kept_and_stood_by(self):
        for days_ago in range(9, 0, -1):
            read(
                self.place,
                self.ines,
                "conductivity-meter",
                340 + days_ago,
                days_ago=days_ago * 7,
            )
        test = begin(self.place, self.ines, "conductivity-meter")
        send(self.ines, test, Taps().read(3.4))
        asked = self.client.get(reverse("bench:outcome", args=[test.pk]))
        self.assertContains(asked, "a hundredth of what is usual here")
        self.assertContains(asked, "It is right")
        send(self.ines, test, Taps(seq=50).close())
        kept = standing(test)
        self.assertIn("digit-slip", kept.flags)
        page = self.client.get(reverse("results:result", args=[kept.pk]))
        self.assertContains(page, "perhaps a digit or unit slipped")
        self.client.post(reverse("results:confirm", args=[kept.pk, "digit-slip"]))
        self.assertNotIn("digit-slip", Result.objects.for_team(self.team).get(pk=kept.pk).flags)
        self.assertEqual(Mark.objects.for_team(self.team).get(result=kept, flag="digit-slip").lifted_by, self.ines.user)
        # Answered at the bench it is not marked, and what was asked stays with it.
        test = begin(self.place, self.ines, "conductivity-meter")
        taps = Taps().read(3.4)
        taps.add("", "sure", part="main", doubt="digit-slip")
        send(self.ines, test, taps.close())
        sure = standing(test)
        self.assertNotIn("digit-slip", sure.flags)
        self.assertIn("a hundredth of what is usual", sure.readings["stood_by"][0])
        refused = send(self.ines, begin(self.place, self.ines), [Taps().add("", "sure", part="main", doubt="ghosts")])
        self.assertEqual(len(refused.refused), 1)

    def test_two_readings_of_a_sample_that_cannot_be_together(self):
        sample = drawn(self.place, self.ines)
        note(self.ines, sample.visit, ("conductivity", 60.0))
        test = begin_test(self.ines, {"sample": str(sample.pk), "method": "chloride-drops-25"})
        send(
            self.ines, test, Taps().answer("ph", 7.2).run("blank-1", 1).run("sample-1", 20).run("sample-2", 20).close()
        )
        self.assertIn("impossible-pair", standing(test).flags)


class OverTime(MeaningTest):
    def test_the_result_above_and_the_one_below_say_what_the_water_gains(self):
        below = Place(team=self.team, name="Below", limit_sets=["ca-aquatic"])
        keep_place(self.ines, below)
        keep_pair(self.ines, Pair(team=self.team, kind="stream", first=self.place, second=below))
        for days_ago in (70, 56, 42, 28, 14):
            measured(self.place, self.ines, 6, 6, days_ago=days_ago)
            measured(below, self.ines, 8, 8, days_ago=days_ago)
        above = measured(self.place, self.ines, 6, 6)
        salted = measured(below, self.ines, 24, 24)
        for result in (above, salted):
            page = self.client.get(reverse("results:result", args=[result.pk]))
            self.assertContains(page, "The water gains 72 mg/L from Ines&#x27;s brook to Below, usually 8.")
        # Of a floor the difference is one too: nobody counted to its end.
        beyond = measured(below, self.ines, 30, 30)
        page = self.client.get(reverse("results:result", args=[beyond.pk]))
        self.assertContains(page, "The water gains at least 76 mg/L from Ines&#x27;s brook to Below, usually 8.")

    def test_a_place_opens_with_how_it_stands_and_the_list_and_the_map_go_by_the_gravest(self):
        quiet = Place(team=self.team, name="A quiet one", latitude=54.6, longitude=-2.6, without_limits=True)
        keep_place(self.ines, quiet)
        measured(self.place, self.ines, 5, 5, days_ago=3)
        read(self.place, self.ines, "ph-meter", 9.6)
        page = self.client.get(reverse("places:place", args=[self.place.pk])).content.decode()
        state = page[page.index('id="state"') : page.index("</table>", page.index('id="state"'))]
        self.assertLess(state.index("too high"), state.index("Chloride"))
        self.assertLess(page.index("Start a visit"), page.index('id="state"'))
        self.assertIn("6.5 to 9", state)
        listed = self.client.get(reverse("places:index"))
        self.assertEqual([place.name for place in listed.context["places"]], ["Ines's brook", "A quiet one"])
        drawn_map = self.client.get(reverse("places:map"))
        self.assertContains(drawn_map, 'aria-label="Ines&#x27;s brook: outside"')
        self.assertContains(drawn_map, 'aria-label="A quiet one: not assessed"')
        # What is set aside no longer stands against a place.
        wrong = Result.objects.for_team(self.team).current().get(parameter="pH")
        exclude(self.ines, wrong, why="the probe was dry")
        self.assertNotEqual(Place.objects.for_team(self.team).get(pk=self.place.pk).status.result.parameter, "pH")

    def test_a_trend_page_says_what_the_line_does_with_limits_as_they_held(self):
        ours = self.publish({"parameter": "chloride", "as": "Cl", "unit": "mg/L", "max": 60})
        self.place.limit_sets = [ours.key]
        keep_place(self.ines, self.place)
        for n in range(28):
            measured(self.place, self.ines, 5 + n // 3, 5 + n // 3, days_ago=(28 - n) * 30)
        address = reverse("places:trend", args=[self.place.pk])
        page = self.client.get(address, {"years": ""})
        self.assertContains(page, "Rising by about")
        self.assertContains(page, "not chance (p = under 0.001)")
        self.assertContains(page, "Ours, single sample: 60")
        self.assertContains(page, "The years over one another")
        self.assertContains(page, "How often which values were found")
        self.assertContains(page, "The 28 numbers")
        since = timezone.localdate() - timedelta(days=200)
        self.assertContains(self.client.get(address, {"since": since}), "a trend takes a year")
        for nonsense in ({"years": "x"}, {"since": "9999-99-99"}, {"until": "0001-01-01"}, {"test": "gold"}):
            self.assertEqual(self.client.get(address, nonsense).status_code, 200)

    def test_a_trend_takes_every_reading_though_it_draws_and_lists_fewer(self):
        first = measured(self.place, self.ines, 5, 5, days_ago=1)
        copies = []
        # Three readings every two days, for three years; it rises by 10 a year, but for one dip and one peak.
        for n in range(1600):
            copy = Result.objects.for_team(self.team).get(pk=first.pk)
            copy.pk, copy.taken_at = None, first.taken_at - timedelta(hours=16 * (n + 1))
            copy.value = {700: 1.0, 701: 90.0}.get(n, 60 - (n + n % 7) * 10 * 16 / 24 / 365)
            # Another limit stood there in the first half of the time; how each stood to it was never the same.
            limit = {"set_title": "Ours", "statistic": "single sample", "min": None, "max": 40.0 if n > 800 else 33.0}
            copy.judgements = [limit | {"unit": "mg/L", "as": "Cl", "held": [n, n, n, None]}]
            copies.append(copy)
        Result.across_teams.bulk_create(copies)
        address = reverse("places:trend", args=[self.place.pk])
        page = self.client.get(address, {"years": ""})
        for words in (
            "single sample: 40",
            "single sample: 33",
            "Rising by about 10",
            "The newest 100 of 1601 numbers",
            "Of 1601 results 0 are reviewed",
        ):
            self.assertContains(page, words)
        (drawn,) = page.context["drawn"]
        wide, narrow = (chart.count("rotate(45)") for chart in (drawn.wide, drawn.narrow))
        self.assertTrue(400 < wide < 600 and 100 < narrow < wide, (wide, narrow))
        # The dip and the peak are among what is drawn.
        heights = re.findall(r"translate\([\d.]+ ([\d.]+)\) rotate\(45\)", drawn.narrow)
        self.assertLess(min(map(float, heights)), 60)
        self.assertEqual(len(Result.objects.for_team(self.team).current()), 1601)

    def test_what_is_seldom_tested_stands_however_often_something_else_is(self):
        seldom = read(self.place, self.ines, "nitrate-photometer", 5.5, days_ago=9)
        often = measured(self.place, self.ines, 5, 5, days_ago=5)
        supplied = Place(team=self.team, name="Loop", kind_key="closed-loop")
        supplied.save()
        keep_pair(self.ines, Pair(team=self.team, kind="supply", first=self.place, second=supplied))
        copies = []
        for n in range(250):
            copy = Result.objects.for_team(self.team).get(pk=often.pk)
            copy.pk, copy.taken_at = None, often.taken_at + timedelta(minutes=n + 1)
            copies.append(copy)
        Result.across_teams.bulk_create(copies)
        restate(self.place)
        asked = {key for each in self.place.status.advice["do"] for key in each["about"]}
        self.assertIn("nitrate", asked)
        self.assertContains(self.client.get(reverse("places:place", args=[self.place.pk])), "nitrate")
        trend = reverse("places:trend", args=[self.place.pk])
        key = next(key for key, each in self.client.get(trend).context["known"].items() if each.parameter == "nitrate")
        (shown,) = self.client.get(trend, {"test": key}).context["drawn"]
        self.assertEqual(shown.number, 1)
        self.assertEqual(system_of(supplied).supply["nitrate"].value, seldom.value)

    def test_the_log_is_narrowed_by_flag_method_lot_and_instrument(self):
        result = measured(self.place, self.ines, 5)
        self.assertIn("one-run", result.flags)
        measured(self.place, self.ines, 6, 6)
        page = self.client.get("/log/", {"flag": "one-run"})
        self.assertContains(page, "5 drops")
        self.assertNotContains(page, "6, 6 drops")
        self.assertContains(self.client.get("/log/", {"kind": "boiler"}), "Nothing in the log fits")
        self.assertContains(self.client.get("/log/", {"method": "chloride-drops-25"}), "6, 6 drops")
        # What comes without it, from an older release or as a package, is filled in.
        rows = Result._base_manager.filter(team=self.team)
        before = list(rows.order_by("pk").values_list("method_key", "place_kind"))
        self.assertEqual(before, [("chloride-drops-25", "stream")] * 2)
        rows.update(method_key="", place_kind="")
        fill_found_by(self.team.pk)
        self.assertEqual(list(rows.order_by("pk").values_list("method_key", "place_kind")), before)
        # Of what is frequent the log is walked through, of what is rare its numbers are read.
        for few in (0, 5):
            with patch.object(filters, "_FEW", few):
                page = self.client.get("/log/", {"flag": "one-run"})
                self.assertContains(page, "5 drops")
                self.assertNotContains(page, "6, 6 drops")
                self.assertContains(self.client.get("/log/", {"review": "new"}), "6, 6 drops")

    def test_a_teams_own_words_for_verdicts_are_said_to_others(self):
        words = {"inside": "fine", "outside": "watch it"}
        choose_house_rules(self.ines, house_rules(self.team), {}, public_words=words)
        result = measured(self.place, self.ines, 5, 5)
        self.assertContains(
            self.client.get(reverse("results:result", args=[result.pk])), "In our words to others: fine."
        )


class InPlace(MeaningTest):
    def test_a_temperature_that_can_hardly_be_is_asked_about_and_marked(self):
        address = reverse("samples:sample", args=[self.place.pk])
        now = timezone.localtime().strftime("%Y-%m-%dT%H:%M")
        form = {"drawn_at": now, "drawn_by": self.ines.user_id, "depth_cm": 20, "water_temperature_c": 57}
        asked = self.client.post(address, form)
        self.assertContains(asked, "57 °C? That can hardly be here", status_code=422)
        self.assertContains(asked, "The temperature is right", status_code=422)
        self.assertEqual(self.client.post(address, form | {"sure": "on"}).status_code, 302)
        visit = visited(self.place, self.ines)
        note(self.ines, visit, ("temperature", 57.0), ("conductivity", 300.0))
        flags = dict(visit.observations.values_list("key", "flags"))
        self.assertEqual(flags, {"temperature": ["cannot-be"], "conductivity": []})


class Settled(MeaningTest):
    def test_what_of_the_teams_own_would_settle_it_is_named(self):
        well = Place(team=self.team, name="Well", kind_key="well", limit_sets=["eu-2020"])
        keep_place(self.ines, well)
        stocked_kit(self.ines, families=("nitrate-photometer", "nitrate-strip"))
        strip = begin(well, self.ines, "nitrate-strip")
        taps = Taps().read({"at": 25}, {"at": 25}, part="nitrate").read({"at": 0}, {"at": 0}, part="nitrite")
        send(self.ines, strip, taps.close())
        result = Result.objects.for_team(self.team).current().get(parameter="nitrate")
        self.assertEqual(result.verdict, "not settled")
        self.assertTrue(any("It would be settled by: Nitrate, photometer" in step for step in result.test_asks))


class InPlaceJudged(MeaningTest):
    def read_in_place(self):
        return Result.objects.for_team(self.team).current().get(family="in-place", parameter="conductivity")

    def test_what_is_read_in_place_is_judged_marked_and_told_as_a_test_is(self):
        boiler = Place(team=self.team, name="Boiler", kind_key="boiler", limit_sets=["programme-boiler-low"])
        keep_place(self.ines, boiler)
        meter = Instrument.objects.create(
            team=self.team, name="Pen", measures="conductivity", serial="7", resolution=10
        )
        visit = visited(boiler, self.ines, plant_ready="on")
        note(self.ines, visit, ("conductivity", 6.9, meter.pk, "mS/cm"))
        result = self.read_in_place()
        # As exact as the bench test of the same name.
        bench = self.on(drawn(boiler, self.ines), "conductivity-meter", {"display": 6.9, "display_unit": "mS/cm"})
        self.assertEqual(result.quantity, bench.quantity)
        self.assertEqual((result.verdict, bench.verdict), ("outside", "outside"))
        exclude(self.ines, bench, why="The same again.")
        for at in (reverse("places:place", args=[boiler.pk]), reverse("visits:visit", args=[visit.pk])):
            self.assertContains(self.client.get(at), "outside")
        page = self.client.get(reverse("results:result", args=[result.pk]))
        self.assertContains(page, "read in place")
        self.assertContains(page, "Pen")
        self.assertContains(page, "Carry-over risk")

        given = {"standard": "sealed", "reading": 1300, "expected": 1413, "allowed": 28}
        failed = InstrumentCheck(team=self.team, instrument=meter, person=self.ines.user, at=timezone.now(), **given)
        check_instrument(self.ines, failed)
        self.assertIn("check-failed", self.read_in_place().flags)
        record(self.ines, "visit", visit.pk, seen(("conductivity", 2.9, None, "mS/cm"), seq=5))
        self.assertEqual((self.read_in_place().value, self.read_in_place().verdict), (2900, "inside"))
        noted = visit.observations.get(key="conductivity")
        correct_observation(self.ines, noted, 7000.0, why="The other range.")
        self.assertEqual((self.read_in_place().value, self.read_in_place().verdict), (7000, "outside"))
        record(self.ines, "visit", visit.pk, seen(("conductivity", None), seq=900))
        self.assertFalse(Result.objects.for_team(self.team).current().filter(family="in-place").exists())


class Supplies(MeaningTest):
    def copper(self):
        rows = Result.objects.for_team(self.team).current()
        return rows.filter(place=self.supply, parameter="copper", fraction="over its taps").first()

    def test_a_supply_stands_by_all_its_taps_and_follows_them(self):
        self.supply = Place(team=self.team, name="Works", kind_key="supply", limit_sets=["us-primary"])
        keep_place(self.ines, self.supply)
        taps = []
        for number in range(6):
            tap = Place(team=self.team, name=f"Tap {number}", kind_key="tap", limit_sets=["us-primary"])
            keep_place(self.ines, tap)
            taps.append(tap)
        first = read(taps[0], self.ines, "copper-comparator", {"at": 0.1}, {"at": 0.1})
        self.assertIsNone(self.copper())
        with self.assertRaises(ValidationError):
            keep_pair(self.ines, Pair(team=self.team, kind="tap", first=taps[0], second=taps[1]))
        for tap in taps:
            keep_pair(self.ines, Pair(team=self.team, kind="tap", first=self.supply, second=tap))
        self.assertEqual(self.copper().made_from["results"], [first.pk])
        steps = zip(taps[1:], (0.2, 0.4, 0.4, 0.7, 2), strict=True)
        results = [read(tap, self.ines, "copper-comparator", {"at": at}, {"at": at}) for tap, at in steps]
        values = sorted([0.1, *(each.value for each in results)])
        # Rank 0.9 × 6 = 5.4 of six.
        found = self.copper()
        self.assertAlmostEqual(found.value, values[4] + 0.4 * (values[5] - values[4]))
        [judgement] = found.judgements
        self.assertEqual((judgement["max"], judgement["of"]), (1.3, "90th percentile of 6 taps"))
        # However often it changes, it is looked over as one.
        self.assertEqual(Visit.objects.for_team(self.team).filter(place=self.supply).count(), 1)
        own = next(each for each in results[-1].judgements if each["set"] == "us-primary")
        self.assertEqual(own["against_average"], "one reading against a 90th percentile of a supply's taps")
        self.assertContains(self.client.get(reverse("places:place", args=[self.supply.pk])), "over its taps")
        self.assertContains(self.client.get(reverse("results:result", args=[found.pk])), "at Tap 5")
        # What is dissolved of a metal is not what a tap is held against.
        filtered = Result.objects.for_team(self.team).get(pk=results[-1].pk)
        filtered.pk, filtered.determination, filtered.fraction = None, None, "dissolved"
        filtered.value, filtered.taken_at, filtered._state.adding = 0.0, timezone.now(), True
        filtered.save()
        restate(taps[5])
        self.assertEqual(self.copper().value, found.value)
        # Of five taps the mean of the two highest, of four the highest: and no pair, no number.
        exclude(self.ines, results[0], why="Wrong tap.")
        left = sorted([0.1, *(each.value for each in results[1:])])
        self.assertAlmostEqual(self.copper().value, (left[-1] + left[-2]) / 2)
        exclude(self.ines, results[1], why="Wrong tap.")
        self.assertEqual(self.copper().value, left[-1])
        for pair in Pair.objects.for_team(self.team):
            part_pair(self.ines, pair)
        self.assertIsNone(self.copper())
