"""Blanks, standards and spikes: begun, run, judged, and shown with the results of that day."""

from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.urls import reverse
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob

from kessa.record.determinations.models import Determination
from kessa.record.quality.models import QualityCheck
from kessa.record.quality.tasks import restate_places
from kessa.record.quality.verification import qualify_after_standard
from kessa.record.results.history import found_lately
from kessa.record.results.models import PlaceStatus, Result
from kessa.record.rules.selectors import house_rules
from kessa.record.rules.services import choose_house_rules
from kessa.record.taps.models import Tap
from kessa.record.testing.services import begin_test
from tests.app.pages import PageTest
from tests.world import Taps, begin, measured, send, standing, stocked_kit, team_of

PHOTOMETER = "nitrate-photometer"


class Checks(PageTest):
    def setUp(self):
        self.membership, self.place = team_of("Ines")
        self.client.force_login(self.membership.user)

    def read(self, determination, *displays):
        taps = Taps()
        for number, display in enumerate(displays, 1):
            taps.add(f"sample-{number}", "reading_taken", part="main", reading={"display": display})
        stored = send(self.membership, determination, taps.close())
        self.assertEqual(stored.refused, [])
        return determination

    def check(self, *displays, method=PHOTOMETER, **form):
        address = reverse("bench:begin_check", args=[method])
        page = self.client.post(address, form, follow=True)
        determination = Determination.objects.for_team(self.membership.team).latest("started_at")
        if not displays:
            return page
        self.assertContains(page, "data-stream")
        self.read(determination, *displays)
        return QualityCheck.objects.for_team(self.membership.team).get(determination=determination)

    def test_a_standard_is_worked_out_in_two_steps_where_the_pipette_is_coarse(self):
        form = {"purpose": "standard", "stock": 1000, "want": 2, "make_ml": 100, "smallest_ml": 1}
        preview = self.client.get(reverse("bench:begin_check", args=[PHOTOMETER]), form, headers={"hx-request": "true"})
        self.assertContains(preview, 'made up to <b class="num">10</b> mL')
        good = self.check(1.9, 1.96, **form)
        self.assertAlmostEqual(good.percent, 96.5)
        self.assertTrue(good.good)
        self.assertContains(self.client.get(reverse("quality:check", args=[good.determination_id])), "96.5</b> % found")
        self.assertContains(self.check(purpose="standard", stock=1000), "A standard needs this.", status_code=422)
        self.assertContains(
            self.check(purpose="standard", stock=1, want=5, make_ml=9, smallest_ml=1), "stronger", status_code=422
        )

    def work(self):
        """Do what the worker is asked to do of places, and return what is then asked for at the place."""
        for job in ProcrastinateJob.objects.filter(task_name="quality.restate_places"):
            restate_places(**job.args)
        return [each["code"] for each in PlaceStatus.objects.for_team(self.place.team).get().advice["do"]]

    def test_results_say_so_until_a_standard_has_proven_their_lots(self):
        kit = stocked_kit(self.membership)
        bottle = reverse("kits:lot", args=[kit.lots.get(supply_key="silver-nitrate").pk])

        def tested(days_ago=0):
            taps = Taps(days_ago=days_ago).answer("ph", 7).run("blank-1", 1).run("sample-1", 8).run("sample-2", 8)
            begun = begin(self.place, self.membership, kit=kit.pk, days_ago=days_ago)
            send(self.membership, begun, taps.close())
            return standing(begun)

        def unproven(result):
            return "lot-unproven" in Result.objects.for_team(self.place.team).get(pk=result.pk).flags

        before = tested()
        self.assertTrue(unproven(before))
        # How the place stands knows of it at once.
        asked = [each["code"] for each in PlaceStatus.objects.for_team(self.place.team).get().advice["do"]]
        self.assertIn("test-again", asked)
        page = self.client.get(reverse("results:result", args=[before.pk]))
        self.assertContains(page, "A lot of it is not proven yet: run a standard")
        self.assertNotContains(page, "Nothing more to do")
        self.assertContains(self.client.get(bottle), "Run a standard: Chloride, drops")
        choosing = self.client.get(
            reverse("bench:method", args=[before.determination.sample_id]), {"family": "chloride-drops"}
        )
        self.assertContains(choosing, "Run a standard first")
        data = {"method": "chloride-drops-25", "purpose": "standard", "kit": kit.pk, "against": {"expected": 36.0}}
        standard = begin_test(self.membership, data)
        send(self.membership, standard, Taps().run("sample-1", 9).run("sample-2", 9).close())
        after = tested()
        self.assertEqual((unproven(before), unproven(after)), (False, False))
        self.assertNotIn("test-again", self.work())
        with CaptureQueriesContext(connection) as few:
            qualify_after_standard(standard)
        for _ in range(5):
            tested()
        with CaptureQueriesContext(connection) as many:
            qualify_after_standard(standard)
        self.assertEqual(len(many), len(few))
        self.assertNotContains(self.client.get(bottle), "Not proven by a standard yet")
        self.client.post(reverse("quality:withdraw_check", args=[standard.pk]), {"why": "tap water"})
        self.assertEqual((unproven(before), unproven(after)), (True, True))
        self.assertIn("test-again", self.work())
        choose_house_rules(self.membership, house_rules(self.place.team), {"new_lots": "trust"})
        self.assertEqual((unproven(tested()), unproven(after)), (False, True))

    def test_two_tests_of_a_sample_that_cannot_both_be_true_ask(self):
        count = measured(self.place, self.membership, 5, 5)
        sample = count.determination.sample

        def strip(at):
            begun = begin_test(self.membership, {"sample": str(sample.pk), "method": "nitrate-strip"})
            taps = Taps().read({"at": 0}, part="nitrite").read({"at": at}, part="nitrate")
            send(self.membership, begun, taps.close())
            return Result.objects.for_team(self.place.team).current().get(determination=begun, part="nitrate")

        def flags(result):
            return Result.objects.for_team(self.place.team).get(pk=result.pk).flags

        low, high = strip(5), strip(250)
        self.assertIn("contradicts", flags(low))
        page = self.client.get(reverse("results:result", args=[high.pk]))
        self.assertContains(page, "cannot both be true")
        self.assertContains(page, reverse("results:result", args=[low.pk]))
        self.assertNotIn("contradicts", flags(count))
        self.client.post(reverse("results:exclude", args=[low.pk]), {"why": "an old strip"})
        self.assertNotIn("contradicts", flags(high))
        self.client.post(reverse("results:restore", args=[low.pk]), {"why": "it was not"})
        self.assertIn("contradicts", flags(high))

    def test_a_photometer_speaks_for_a_sample_before_a_strip_and_series_stay_apart(self):
        self.place.limit_sets = ["eu-2020"]
        self.place.save()
        exact = standing(self.read(begin(self.place, self.membership, PHOTOMETER), 5.0, 5.0))
        sample = exact.determination.sample
        begun = begin_test(self.membership, {"sample": str(sample.pk), "method": "nitrate-strip"})
        send(self.membership, begun, Taps().read({"at": 0}, part="nitrite").read({"at": 50}, part="nitrate").close())
        lately = found_lately(self.place)
        measured = {each.method_class for each in lately.series} - {"derived"}
        self.assertEqual(measured, {"photometer", "screening"})
        pressing = PlaceStatus.objects.for_team(self.place.team).get(place=self.place).result
        page = self.client.get(reverse("places:place", args=[self.place.pk]))
        self.assertContains(page, "nitrate as NO3, by strip or card")
        self.assertNotEqual((pressing.parameter, pressing.method_class), ("nitrate", "screening"))

    def test_a_bad_check_marks_what_was_tested_since_the_last_good_one_until_it_is_withdrawn(self):
        def tested(method=PHOTOMETER, value=3.0, **when):
            return standing(self.read(begin(self.place, self.membership, method, **when), value, value))

        def marked(*results):
            return ["quality-bad" in Result.objects.for_team(self.place.team).get(pk=each.pk).flags for each in results]

        standard = {"purpose": "standard", "stock": 10, "want": 2, "make_ml": 100, "smallest_ml": 1}
        earlier = tested(days_ago=3)
        self.assertTrue(self.check(2.0, 2.0, **standard).good)
        before, other = tested(at=timezone.now()), tested("iron-photometer", 0.3, at=timezone.now())
        bad = self.check(1.0, 1.0, **standard)
        self.assertFalse(bad.good)
        after = tested(at=timezone.now())
        self.assertEqual(marked(earlier, before, other, after), [False, True, False, True])
        page = self.client.get(reverse("results:result", args=[before.pk]))
        self.assertContains(page, "a check failed")
        self.assertContains(page, '<span class="num">50</span> % found')
        self.assertContains(self.client.get(reverse("methods:method", args=[PHOTOMETER])), "bad")
        # A good check afterwards: what is measured from then on is trusted again.
        self.check(2.0, 2.0, **standard)
        self.assertEqual(marked(tested(at=timezone.now())), [False])
        check = self.client.get(reverse("quality:check", args=[bad.determination_id]))
        self.assertContains(check, "Results it makes doubtful")
        withdraw = reverse("quality:withdraw_check", args=[bad.determination_id])
        self.assertContains(self.client.post(withdraw, {}, follow=True), "Say why")
        self.assertEqual(marked(before, after), [True, True])
        self.assertContains(self.client.post(withdraw, {"why": "Tap water, no standard"}, follow=True), "Withdrawn")
        self.assertEqual(marked(before, after), [False, False])
        lifted = before.marks.get(flag="quality-bad")
        self.assertEqual((lifted.lifted_by, lifted.lifted_why), (self.membership.user, "Tap water, no standard"))

    def test_a_blank_may_show_what_cannot_be_told_from_none(self):
        kit = stocked_kit(self.membership, families=["nitrate-photometer"], nitrate_photometer_powder=9)
        self.assertTrue(self.check(0.1, 0.2, purpose="blank", kit=kit.pk).good)
        self.assertFalse(self.check(0.9, 0.9, purpose="blank", kit=kit.pk).good)
        # Checks use up reagent like any run.
        self.assertEqual(kit.lots.get(supply_key="nitrate-photometer-powder").units_left, 5)

    def test_a_spike_is_corrected_for_its_volume(self):
        result = self.read(begin(self.place, self.membership, PHOTOMETER), 2.0, 2.0).results.get()
        form = {"sample_ml": 25, "added_ml": 1, "added_strength": 50}
        self.client.post(reverse("bench:spike", args=[result.pk]), form)
        spiked = Determination.objects.for_team(self.membership.team).latest("started_at")
        self.read(spiked, 3.85, 3.85)
        # (3.85 × 26 − 2 × 25) / 50
        self.assertAlmostEqual(spiked.quality_check.percent, 100.2, 1)
        self.assertEqual(spiked.results.count(), 0)
        self.assertContains(self.client.get(reverse("results:result", args=[result.pk])), "A spiked sample")
        self.client.post(reverse("bench:spike", args=[result.pk]), {"sample_ml": 0})
        self.assertEqual(Determination.objects.for_team(self.membership.team).latest("started_at"), spiked)

    def test_no_other_team_sees_or_runs_it(self):
        check = self.check(2.0, 2.0, purpose="standard", stock=10, want=2, make_ml=100, smallest_ml=1)
        self.client.force_login(team_of("Maud")[0].user)
        self.assertEqual(self.client.get(reverse("quality:check", args=[check.determination_id])).status_code, 404)
        self.assertEqual(
            self.client.get(reverse("bench:determination", args=[check.determination_id])).status_code, 404
        )
        self.assertNotContains(self.client.get(reverse("methods:method", args=[PHOTOMETER])), ">A standard<")


class WhatPresses(PageTest):
    def test_the_gravest_of_the_newest_results_is_what_comes_next_at_a_place(self):
        membership, place = team_of("Ines")
        self.client.force_login(membership.user)
        place.limit_sets = ["eu-2020"]
        place.save()

        def read(method, displays, **kwargs):
            determination = begin(place, membership, method, **kwargs)
            taps = Taps()
            for number, display in enumerate(displays, 1):
                taps.add(f"sample-{number}", "reading_taken", part="main", reading={"display": display})
            send(membership, determination, taps.close())

        page = reverse("places:place", args=[place.pk])
        self.assertContains(self.client.get(page), "No results here yet.")
        # 9.9 mg/L as N was 44 mg/L as NO3, 15 is 66; a later good pH does not make it good.
        read(PHOTOMETER, (9.9, 9.9), days_ago=2)
        self.assertContains(self.client.get(page), ", inside, ")
        read(PHOTOMETER, (1.5, 1.5), dilution=10, days_ago=1)
        read("ph-meter", (7.2,))
        self.assertContains(self.client.get(page), ", outside, ")
        self.assertContains(self.client.get("/log/"), "as NO3")


class HostileReadings(PageTest):
    def test_a_sensor_serves_once(self):
        membership, place = team_of("Ines")

        def tried(test, *readings):
            taps = Taps()
            for part, sensor in readings:
                reading = {"display": 0.3, "temperature_c": 12, "sensor": sensor}
                taps.add("sample-1", "reading_taken", part=part, reading=reading)
            return [words for _, words in send(membership, test, taps).refused]

        test = begin(place, membership, method="chlorine-dioxide-stages")
        first, second = (part.key for part in test.method.parts[:2])
        [refused] = tried(test, (first, "S-1"), (second, "S-1"))
        self.assertIn("Sensor S-1 was used already", refused)
        # Read again, it is the same sensor of the same part; what was taken back was never read.
        self.assertEqual(tried(test, (first, "S-1"), (second, "S-2")), [])
        other = begin(place, membership, method="chlorine-dioxide-stages")
        self.assertEqual(len(tried(other, (first, "S-2"))), 1)
        read = Tap.objects.for_team(place.team).get(stream=test.pk, data__reading__sensor="S-2")
        back = Taps(seq=50)
        back.add("sample-1", "taken_back", of=str(read.pk))
        send(membership, test, back)
        self.assertEqual(tried(other, (first, "S-2")), [])

    def test_each_is_refused_in_words_and_the_good_one_is_kept(self):
        membership, place = team_of("Ines")
        for method, part, good, bad in (
            (
                "chlorine-dioxide-stages",
                "chlorine-dioxide",
                {"display": 0.3, "temperature_c": 12, "sensor": "S-1"},
                (
                    {"display": "0.3"},
                    {"display": -1},
                    {"display": 1e400},
                    {"display": 0.3, "temperature_c": "cold"},
                    {"display": 0.3, "temperature_c": float("nan")},
                    {"display": 0.3, "sensor": "\0"},
                    {"display": 0.3, "sensor": {}},
                    {"display": 0.3, "sensor": "\ud800"},
                    {"display": 0.3, "colour": "red"},
                    {},
                    {"display": True},
                ),
            ),
            (
                "phosphate-comparator",
                "main",
                {"between": [20, 30], "fraction": 0.25},
                (
                    {"at": 21},
                    {"between": [20, 40]},
                    {"at": 20, "fraction": float("inf")},
                    {"at": 20, "fraction": [[1]]},
                    {"between": "20-30"},
                    {"at": 20, "above": True},
                    {"below": 1},
                ),
            ),
            (
                "oxygen-burette",
                "main",
                {"start": 0.5, "end": 9.5, "used_before": 25},
                (
                    {"start": 9, "end": 1},
                    {"end": float("nan")},
                    {"start": -1, "end": 2},
                    {"ml": 1, "start": 0, "end": 2, "x": 1},
                ),
            ),
            (
                "nitrate-photometer",
                "main",
                {"transmittance": 50, "path_mm": 25},
                (
                    {"transmittance": 0},
                    {"transmittance": 101},
                    {"over": "yes"},
                    {"display": 5, "over": True},
                    {"absorbance": 1, "path_mm": 0},
                ),
            ),
        ):
            determination = begin(place, membership, method)
            taps = Taps()
            for reading in (*bad, good):
                taps.add("sample-1", "reading_taken", part=part, reading=reading)
            taps.add("sample-1", "reading_taken", part="no-such-part", reading=good)
            taps.add("sample-1", "timer_started", step=0, seconds=10)
            taps.add("", "answered", key="no-such-question", value=1)
            stored = send(membership, determination, taps)
            self.assertEqual((len(stored.kept), len(stored.refused)), (1, len(bad) + 3), method)
            self.assertTrue(all(len(why) > 10 for _, why in stored.refused))


class DilutedAgain(PageTest):
    def test_a_plan_starts_from_the_sample_as_it_was_tested(self):
        membership, place = team_of("Ines")
        self.client.force_login(membership.user)
        determination = begin(place, membership, PHOTOMETER, dilution=5)
        taps = Taps()
        taps.add("sample-1", "reading_taken", part="main", reading={"over": True})
        send(membership, determination, taps.close())
        # 100 mg/L, diluted 1 in 5, holds 20: of that 1 in 5 once more is 4, so 1 in 25 in all.
        plan = self.client.get(reverse("bench:dilution_plan", args=[determination.pk]), {"estimate": 100})
        self.assertContains(plan, "as it is diluted now, 1 in 5")
        self.assertContains(plan, 'name="dilution" value="5"')
        self.client.post(reverse("results:go_on", args=[determination.pk]), {"dilution": "5"})
        following = Determination.objects.for_team(membership.team).get(continues=determination)
        self.assertEqual(following.dilution, 25)
