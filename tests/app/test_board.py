"""The board of a visit: its tests stand on one page, begin with their first tap, and are planned anew each time."""

import json
import re
import uuid
from contextlib import nullcontext
from datetime import timedelta
from unittest.mock import patch

from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.urls import reverse
from django.utils import timezone

from kessa.core.methods import families
from kessa.record.determinations.models import Determination, LedMethod
from kessa.record.instruments.models import Instrument
from kessa.record.instruments.services import keep_instrument
from kessa.record.kits.models import Kit, Lot
from kessa.record.places.models import Place
from kessa.record.rounds.models import Round
from kessa.record.rounds.services import plan_stop
from kessa.record.rules.selectors import house_rules
from kessa.record.rules.services import choose_house_rules
from kessa.record.taps.selectors import counted
from kessa.record.testing.services import begin_test
from tests.app.pages import PageTest
from tests.world import Taps, begin, drawn, note, noted, planned, send, stocked_kit, team_of, visited

TESTS = ("chloride-drops", "nitrate-ampoule", "ph-strip")


class Board(PageTest):
    def setUp(self):
        self.membership, self.place = team_of("Ines")
        self.client.force_login(self.membership.user)
        plans = {family: {"runs": 2, "blanks": 0, "standards": 0} for family in TESTS}
        plan_stop(self.membership, planned(self.membership, self.place, days_ago=1), self.place, plans, [])
        stocked_kit(self.membership, families=("chloride-drops", "ph-strip"))
        self.visit = visited(self.place, self.membership)
        self.sample = drawn(self.place, self.membership)
        self.address = reverse("bench:board", args=[self.visit.pk])

    def payloads(self):
        page = self.client.get(self.address)
        found = re.findall(r'<script type="application/json">(.*?)</script>', page.content.decode(), re.S)
        return {each["begin"]["method"] if each["begin"] else "begun": each for each in map(json.loads, found)}

    def lanes(self):
        return self.client.get(f"{self.address}lanes/?width=360").content.decode()

    def order(self):
        names = {str(uuid.uuid5(self.sample.pk, family)): family for family in TESTS}
        return [names[each] for each in re.search(r'data-order="([^"]*)"', self.lanes()).group(1).split()]

    def tap(self, payload, *taps):
        """Send what the page sends: the beginning, then the taps."""
        made, begun = [], {"run": "", "kind": "test_begun", "data": payload["begin"]}
        for seq, each in enumerate([begun, *taps], 1):
            at = (timezone.now() + timedelta(seconds=seq)).isoformat()
            tap = {"id": str(uuid.uuid4()), "seq": seq, "at": at, "device": "here", "data": {}, **each}
            made.append(tap | {"whose": payload["whose"]})
        body = json.dumps({"taps": made, "known": 0})
        answer = self.client.post(payload["address"], body, content_type="application/json").json()
        self.assertEqual((len(answer["kept"]), answer["refused"]), (len(made), []))
        return Determination.objects.for_team(self.membership.team).get(pk=payload["stream"])

    def test_what_may_wait_least_comes_first_never_the_alphabet(self):
        page = self.client.get(self.address)
        chips = re.findall(r'data-chip="[^"]*"[^>]*><b>([^<]*)', page.content.decode())
        self.assertEqual(chips, ["pH", "Nitrate", "Chloride"])
        self.assertEqual(self.order()[0], "ph-strip")
        note(self.membership, self.visit, ("conductivity", 300.0), ("smell", 0))
        visit = self.client.get(reverse("visits:visit", args=[self.visit.pk]))
        self.assertContains(visit, f'href="{self.address}"')
        self.assertContains(visit, f"Test: {families()['ph-strip'][0].test_name}")

    def test_many_tests_cost_the_statements_of_few(self):
        def cost():
            self.client.get(self.address)
            with CaptureQueriesContext(connection) as asked:
                page = self.client.get(self.address).content.decode()
            return page.count('data-chip="'), len(asked)

        few, of_few = cost()
        more = ("nitrate-strip", "phosphate-comparator", "ph-paper", "ammonia-comparator", "chloride-strip")
        plans = {family: {"runs": 2, "blanks": 0, "standards": 0} for family in (*TESTS, *more)}
        plan_stop(self.membership, Round.objects.for_team(self.membership.team).get(), self.place, plans, [])
        many, of_many = cost()
        self.assertEqual((few, many), (3, 8))
        self.assertLessEqual(of_many, of_few + 1)

    def test_of_several_instruments_the_page_asks_by_which_where_none_is_of_the_kit_in_use(self):
        def meter(name, kit=None):
            row = Instrument(team=self.membership.team, name=name, measures="ph", resolution=0.01, kit=kit)
            return keep_instrument(self.membership, row)

        place = Place.objects.create(team=self.membership.team, name="Mill pond")
        kit = Kit.objects.create(team=self.membership.team, name="Meters", families=["ph-meter"])
        plan = {"ph-meter": {"runs": 1, "blanks": 0, "standards": 0}}
        # Minutes after midnight the visit is of yesterday.
        plan_stop(self.membership, planned(self.membership, place, days_ago=1, name="pH"), place, plan, [])
        self.address = reverse("bench:board", args=[visited(place, self.membership).pk])
        drawn(place, self.membership)
        meter("Wells' meter", Kit.objects.create(team=self.membership.team, name="Wells"))
        asked = self.client.get(self.address)
        self.assertIsNone(self.payloads()["ph-meter"]["begin"]["instrument"])
        self.assertContains(asked, "which instrument?</b>")
        own = meter("Own meter", kit)
        self.assertEqual(self.payloads()["ph-meter"]["begin"]["instrument"], own.pk)

    def test_tests_of_two_samples_are_told_apart_by_when_those_were_drawn(self):
        second = drawn(self.place, self.membership, minutes=1)
        for sample in (self.sample, second):
            begin_test(self.membership, {"sample": str(sample.pk), "method": "nitrate-ampoule"})
        page = self.client.get(self.address).content.decode()
        times = [f"Nitrate, sample of {timezone.localtime(each.drawn_at):%H:%M}" for each in (self.sample, second)]
        self.assertCountEqual(re.findall(r"<b>(Nitrate[^<]*)", page), times)
        for name in times:
            self.assertIn(name, self.lanes())

    def test_a_test_begins_with_its_first_tap_as_the_page_led_it(self):
        nitrate = self.payloads()["nitrate-ampoule"]
        self.assertEqual(Determination.objects.for_team(self.membership.team).count(), 0)
        # Meanwhile the pH becomes known: the steps that were shown stay those that are kept.
        answered = {"run": "", "kind": "answered", "data": {"key": "ph", "value": 7}}
        chloride = self.tap(self.payloads()["chloride-drops-25"], answered)
        self.assertEqual(chloride.sample, self.sample)
        self.assertLess(len(self.payloads()["nitrate-ampoule"]["steps"]), len(nitrate["steps"]))
        begun = self.tap(nitrate, {"run": "sample-1", "kind": "step_done", "data": {"step": 0}})
        self.assertEqual(len(begun.method.steps), len(nitrate["steps"]))
        self.assertEqual([tap.kind for tap in counted(begun.team, begun.pk)], ["test_begun", "step_done"])
        after = self.payloads()
        self.assertNotIn("nitrate-ampoule", after)
        self.assertIn("ph-strip", after)

    def test_the_lots_that_the_page_names_are_those_of_the_test(self):
        lots = self.payloads()["chloride-drops-25"]["begin"]["lots"]
        named = Lot.objects.for_team(self.membership.team).filter(pk__in=lots).values_list("supply_key", flat=True)
        self.assertEqual(set(named) - {"ph-strip"}, {"deionised-water", "chromate-packet", "silver-nitrate"})
        begun = self.tap(self.payloads()["chloride-drops-25"])
        self.assertEqual({use.lot_id for use in begun.lots.all()}, set(lots))

    def test_planned_anew_while_a_clock_runs(self):
        nitrate = self.payloads()["nitrate-ampoule"]
        clocked = [number for number, step in enumerate(nitrate["steps"]) if "wait" in step]
        steps = [{"run": "sample-1", "kind": "step_done", "data": {"step": n}} for n in range(clocked[-1])]
        clock = {"run": "sample-1", "kind": "timer_started", "data": {"step": clocked[-1], "seconds": 480}}
        self.tap(nitrate, {"run": "", "kind": "answered", "data": {"key": "ph", "value": 7}}, *steps, clock)
        self.assertEqual(self.order(), ["ph-strip", "chloride-drops", "nitrate-ampoule"])
        self.assertRegex(self.lanes(), r"Nitrate</td><td>\s+in <span class=\"num\">8</span> min")

    def test_a_method_that_changed_or_was_retired_meanwhile_begins_as_it_was_taken_along(self):
        payload = self.payloads()["ph-strip"]
        with patch("kessa.record.testing.services.methods_of", return_value={}):
            begun = self.tap(payload, {"run": "sample-1", "kind": "step_done", "data": {"step": 0}})
        self.assertEqual(begun.method.steps[0].text, families()["ph-strip"][0].steps[0].text)
        self.assertEqual(LedMethod.objects.for_team(self.membership.team).count(), len(TESTS))
        self.client.get(self.address)
        self.assertEqual(LedMethod.objects.for_team(self.membership.team).count(), len(TESTS))

    def test_without_a_sample_or_when_closed_the_visit_is_shown(self):
        other = visited(self.place, self.membership, days_ago=3)
        for visit in (
            other,
            visited(type(self.place).objects.create(team=self.place.team, name="Dry"), self.membership),
        ):
            answer = self.client.get(reverse("bench:board", args=[visit.pk]))
            self.assertRedirects(answer, reverse("visits:visit", args=[visit.pk]))

    def test_a_strip_begins_before_its_table(self):
        plans = {family: {"runs": 1, "blanks": 0, "standards": 0} for family in ("chloride-strip", "ph-strip")}
        place = type(self.place).objects.create(team=self.place.team, name="Ford")
        plan_stop(self.membership, planned(self.membership, place, days_ago=1, name="Ford"), place, plans, [])
        going = visited(place, self.membership)
        drawn(place, self.membership)
        page = self.client.get(reverse("bench:board", args=[going.pk]))
        self.assertContains(page, "another lot's table would be a guess")
        self.assertContains(page, "data-family", count=2)

    def test_hostile_widths_and_beginnings(self):
        for width in ("", "-1", "9" * 40, "²", "nan"):
            self.assertEqual(self.client.get(f"{self.address}lanes/?width={width}").status_code, 200)
        payload = self.payloads()["ph-strip"]
        for method, led in (("chloride-drops-25", payload["begin"]["led"]), ("none", "0" * 64), (7, {"a": 1})):
            payload["begin"] |= {"method": method, "led": led}
            made = {"id": str(uuid.uuid4()), "seq": 1, "at": timezone.now().isoformat(), "device": "x", "run": ""}
            body = json.dumps({"taps": [made | {"kind": "test_begun", "data": payload["begin"]}], "known": 0})
            answer = self.client.post(payload["address"], body, content_type="application/json")
            self.assertLess(answer.status_code, 500)
        self.assertEqual(Determination.objects.for_team(self.membership.team).count(), 0)


class OneDay(PageTest):
    """What one stop gives to the next: a good blank, who comes along, the weather."""

    def setUp(self):
        self.membership, self.place = team_of("Ines")
        self.client.force_login(self.membership.user)
        self.kit = stocked_kit(self.membership)

    def test_a_good_blank_serves_the_day_where_the_team_says_so(self):
        midnight = timezone.localtime().replace(hour=0, minute=0, second=0, microsecond=0)
        given = {"kit": self.kit.pk, "at": max(timezone.now() - timedelta(minutes=10), midnight)}
        for school, carried in (("yes", None), ("day", 1)):
            choose_house_rules(self.membership, house_rules(self.membership.team), {"blank": school})
            first = begin(self.place, self.membership, **given)
            send(self.membership, first, Taps().run("blank-1", 1))
            second = begin(self.place, self.membership, kit=self.kit.pk, at=timezone.now())
            with self.subTest(school):
                self.assertEqual((second.blank_carried, second.asks_blank), (carried, carried is None))

    def test_a_blank_that_was_not_good_or_with_another_kit_serves_nothing(self):
        choose_house_rules(self.membership, house_rules(self.membership.team), {"blank": "day"})
        first = begin(self.place, self.membership, kit=self.kit.pk, at=timezone.now() - timedelta(minutes=10))
        send(self.membership, first, Taps().run("blank-1", 4))
        self.assertTrue(begin(self.place, self.membership, kit=self.kit.pk).asks_blank)
        self.assertTrue(begin(self.place, self.membership).asks_blank)

    def test_company_and_weather_are_offered_at_the_next_stop_and_never_taken_by_themselves(self):
        before = visited(self.place, self.membership, minutes=60)
        note(self.membership, before, ("weather_now", 2), ("smell", 1))
        other = type(self.place).objects.create(team=self.place.team, name="Ford")
        page = self.client.get(reverse("visits:begin", args=[other.pk]))
        self.assertContains(page, 'value="Sanna"')
        self.assertNotContains(page, 'name="ready" checked')
        going = visited(other, self.membership)
        circumstances = self.client.get(reverse("conditions:conditions", args=[going.pk])).content.decode()
        offered = re.findall(r'class="was"><input\s+type="radio" name="([a-z_]+)"\s+value="(\d)"', circumstances)
        self.assertEqual(offered, [("weather_now", "2")])
        self.assertEqual(noted(going), {})

    def test_the_depth_offered_is_no_deeper_than_the_water(self):
        going = visited(self.place, self.membership)
        for water, offered in ((12, "12"), (80, "20")):
            note(self.membership, going, ("water_depth", water))
            page = self.client.get(reverse("samples:sample", args=[self.place.pk]))
            self.assertEqual(float(page.context["form"].initial["depth_cm"]), float(offered))

    def test_the_weather_service_proposes_and_notes_nothing(self):
        self.place.latitude, self.place.longitude = 54.3, -2.4
        self.place.save()
        going = visited(self.place, self.membership)
        address = reverse("conditions:conditions", args=[going.pk])
        with self.settings(WEATHER_SERVICE=""):
            self.assertNotContains(self.client.get(address), "The weather service says")
        with self.settings(WEATHER_SERVICE="kessa.record.visits.weather.SimulatedWeather"):
            self.assertContains(self.client.get(address), "The weather service says", count=3)
        for answer, heard in (
            ({"weather_now": 99, "smell": 1}, nullcontext),
            ({"air_temperature": "mild"}, None),
            (None, None),
        ):
            with (
                self.settings(WEATHER_SERVICE="kessa.record.visits.weather.SimulatedWeather"),
                patch("kessa.record.visits.weather.SimulatedWeather.at", return_value=answer),
                heard() if heard else self.assertLogs("kessa.record.visits.weather"),
            ):
                self.assertNotContains(self.client.get(address), "The weather service says")
        self.assertEqual(noted(going), {})
