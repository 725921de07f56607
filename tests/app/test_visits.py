"""Visits: safety, observations, samples, handing over and closing; labels; photographs; units."""

import io
import json
import uuid
from datetime import timedelta
from unittest.mock import patch

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import override_settings
from django.urls import reverse
from django.utils import timezone
from PIL import Image, ImageCms

from kessa.core.job.schools import complete
from kessa.drawings.trend import HEIGHT
from kessa.record.instruments.models import Instrument
from kessa.record.instruments.services import keep_instrument
from kessa.record.kits.models import Kit
from kessa.record.people.models import Membership
from kessa.record.photographs.models import Photograph
from kessa.record.photographs.pictures import read_picture
from kessa.record.places.models import Pair, Place
from kessa.record.rounds.field_sheet import field_sheet
from kessa.record.rules.selectors import house_rules
from kessa.record.rules.services import choose_house_rules
from kessa.record.taps.services import record, tapped
from kessa.record.testing.services import begin_test
from kessa.record.visits.models import Bottle, Observation, Sample, TwoVisits, Visit
from kessa.record.visits.selectors import at_once_with
from tests.app.pages import PageTest
from tests.world import (
    Taps,
    drawn,
    led,
    measured,
    member,
    note,
    noted,
    planned,
    read,
    safety,
    seen,
    send,
    standing,
    team_of,
    visited,
)


class Visits(PageTest):
    def setUp(self):
        self.membership, self.place = team_of("Ines")
        self.team, self.person = self.membership.team, self.membership.user
        self.client.force_login(self.person)

    def begin(self, **changes):
        address = reverse("visits:begin", args=[self.place.pk])
        return self.client.post(address, safety(**changes), follow=True)

    def visit(self):
        return Visit.objects.for_team(self.team).get(leader__isnull=False)

    def send(self, visit, taps, known=0):
        address = reverse("taps:receive", args=["visit", visit.pk])
        return self.client.post(address, {"taps": taps, "known": known}, content_type="application/json")

    def test_safety_is_confirmed_first(self):
        choose_house_rules(self.membership, house_rules(self.team), {}, ice_rule="Never on ice.")
        self.assertContains(self.client.get(reverse("visits:begin", args=[self.place.pk])), "Never on ice.")
        for change, words in (
            ({"company": None}, "or that you go alone"),
            ({"told": None}, "required"),
            ({"ice_or_flood": "ice"}, "In doubt, do not go"),
            ({"ice_or_flood": None}, "required"),
            ({"ready": None}, "required"),
            ({"back_by": "late"}, "valid time"),
        ):
            with self.subTest(words):
                address = reverse("visits:begin", args=[self.place.pk])
                response = self.client.post(address, safety(**change))
                self.assertContains(response, words, status_code=422)
        unwritten = "No rule for it is written, so nobody goes in a flood: not this time."
        alone = {"company": None, "alone": "on", "rule_followed": "on"}
        for change, words in (
            ({"ice_or_flood": "flood", "rule_followed": "on"}, unwritten),
            (alone | {"ice_or_flood": "ice"}, "Never alone on ice"),
        ):
            response = self.client.post(reverse("visits:begin", args=[self.place.pk]), safety(**change))
            self.assertContains(response, words, status_code=422)
        self.assertFalse(Visit.objects.for_team(self.team).exists())
        rules = {"ice_rule": "Never on ice.", "never_alone": "on"}
        self.client.post("/rules/house/", complete({}) | rules)
        response = self.client.post(reverse("visits:begin", args=[self.place.pk]), safety(**alone))
        self.assertContains(response, "nobody goes alone. Call somebody along", status_code=422)
        choose_house_rules(self.membership, house_rules(self.team), {}, ice_rule="Never on ice.")
        self.begin(company=None, alone="on")
        self.begin()
        self.assertEqual(self.visit().safety["told"], "Ines")

    def test_a_visit_that_nobody_closed_in_time_is_said_to_the_team(self):
        visited(self.place, self.membership, days_ago=2, told="Maud", back_by="12:00")
        self.client.force_login(member(self.team, "Olek").user)
        self.assertContains(self.client.get("/today/"), "Maud should have heard by 12:00. Ask after Ines.")
        Visit.objects.for_team(self.team).update(started_at=timezone.now(), safety={"back_by": "nonsense"})
        self.assertNotContains(self.client.get("/today/"), "should have heard")
        late = timezone.localtime().replace(hour=23, minute=30, second=0, microsecond=0)
        night = Visit(team=self.team, place=self.place, started_at=late, safety={"back_by": "01:15"})
        self.assertEqual((night.should_be_heard_by - late), timedelta(hours=1, minutes=45))

    def test_plant_asks_for_the_sites_own_rules(self):
        self.place.kind_key = "boiler"
        self.place.save()
        page = self.client.get(reverse("visits:begin", args=[self.place.pk]))
        self.assertContains(page, "sample cooler")
        self.assertNotContains(page, "Ice or flood")
        refused = self.client.post(reverse("visits:begin", args=[self.place.pk]), safety())
        self.assertContains(refused, "site&#x27;s own rules first", status_code=422)
        self.assertContains(self.begin(plant_ready="on"), "Feed or return temperature")
        draw = reverse("samples:sample", args=[self.place.pk])
        form = {"drawn_at": timezone.localtime().strftime("%Y-%m-%dT%H:%M"), "drawn_by": self.person.pk}
        for warm, words in (("", "not by hand"), ("85", "Too hot to draw"), ("40", "tell the competent person")):
            given = form | {"water_temperature_c": warm}
            self.assertContains(self.client.post(draw, given), words, status_code=422)
        self.assertFalse(Sample.objects.for_team(self.team).exists())
        self.client.post(draw, form | {"water_temperature_c": "24"})
        self.assertTrue(Sample.objects.for_team(self.team).exists())

    def test_observations_are_kept_once_in_any_order_and_taken_back(self):
        self.begin()
        visit = self.visit()
        taps = seen(("flow", 1), ("flow", 3), ("temperature", 4.2))
        for batch in (taps[1:], taps, taps):
            reply = self.send(visit, batch).json()
        self.assertEqual((len(reply["kept"]), reply["refused"]), (3, []))
        self.assertEqual(noted(visit), {"flow": 3, "temperature": 4.2})
        self.assertContains(self.client.get(reverse("visits:visit", args=[visit.pk])), "fast")
        back = seen(("flow", None))
        back[0]["seq"] = 9
        self.assertEqual(len(self.send(visit, back).json()["taps"]), 5)
        self.assertNotContains(self.client.get(reverse("visits:visit", args=[visit.pk])), "fast")

    def test_what_no_scale_holds_is_refused_and_the_rest_is_kept(self):
        self.begin()
        good = seen(("flow", 1))
        bad = seen(
            ("flow", 5), ("flow", 1.5), ("flow", "fast"), ("load", 50), ("temperature", 900), ("temperature", True),
            ("conductivity", 400, 4711), ("conductivity", 400, "x"),
        )  # fmt: skip
        broken = [{**good[0], "id": "no"}, "tap", {**good[0], "id": str(uuid.uuid4()), "data": "x"}]
        reply = self.send(self.visit(), [*bad, *broken, *good]).json()
        self.assertEqual((reply["kept"], len(reply["refused"])), ([good[0]["id"]], len(bad) + len(broken)))
        address = reverse("taps:receive", args=["visit", self.visit().pk])
        for body in ("", "[]", "{}", json.dumps({"taps": [{}] * 501, "known": 0})):
            self.assertEqual(self.client.post(address, body, content_type="application/json").status_code, 400)
        self.client.logout()
        self.assertEqual(self.send(self.visit(), good).status_code, 401)

    def test_a_display_in_another_unit_is_kept_as_shown_and_brought_to_the_scale(self):
        self.begin()
        taps = seen(("conductivity", 1.43), ("temperature", 41), ("temperature", 5))
        for tap, unit in zip(taps, ("mS/cm", "degF", "furlong"), strict=True):
            tap["data"]["unit"] = unit
        reply = self.send(self.visit(), taps).json()
        self.assertEqual((len(reply["kept"]), len(reply["refused"])), (2, 1))
        kept = {each.key: each for each in Observation.objects.for_team(self.team)}
        self.assertAlmostEqual(kept["conductivity"].value, 1430)
        self.assertEqual((kept["conductivity"].display, kept["conductivity"].display_unit), (1.43, "mS/cm"))
        self.assertAlmostEqual(kept["temperature"].value, 5)
        shared = self.send(self.visit(), [], known=99).json()["taps"]
        self.assertEqual(shared[1]["data"], {"value": 1.43, "unit": "mS/cm", "on_scale": 1430.0, "instrument": None})

    def test_several_answers_where_several_are_true_and_a_note(self):
        self.begin()
        visit = self.visit()
        # Earthy and of oil: a bit each. "None" is not true beside another, and one alone stands by its place.
        taps = seen(
            ("smell", 1000 + 2 + 32), ("drains_in", 2), ("smell", 1000 + 1 + 2), ("smell", 1002), ("flow", 1006)
        )
        note = {
            **taps[0],
            "id": str(uuid.uuid4()),
            "run": "",
            "kind": "note_written",
            "seq": 9,
            "data": {"text": "A new pipe"},
        }
        longer = {**note, "id": str(uuid.uuid4()), "data": {"text": "x" * 1001}}
        reply = self.send(visit, [*taps, note, longer]).json()
        self.assertEqual((len(reply["kept"]), len(reply["refused"])), (3, 4))
        self.assertEqual(noted(visit), {"smell": 1034, "drains_in": 2})
        # What another phone wrote before, and sends later, is not the last.
        earlier = {**note, "id": str(uuid.uuid4()), "seq": 2, "data": {"text": "Nothing new"}}
        self.assertEqual(self.send(visit, [earlier]).json()["refused"], [])
        page = self.client.get(reverse("visits:visit", args=[visit.pk]))
        self.assertContains(page, "earthy and oil")
        self.assertContains(page, "A new pipe")
        right = reverse("conditions:correct", args=[visit.pk, "smell"])
        page = self.client.post(right, {"value": ["1", "4"], "why": "No oil, sewage"}, follow=True)
        self.assertContains(page, "earthy and sewage")
        again = self.client.get(right)
        self.assertContains(again, 'checked name="value" id="id_value_4"')
        self.client.post(reverse("visits:close", args=[visit.pk]))
        self.begin()
        page = self.client.get(
            reverse("conditions:conditions", args=[Visit.objects.for_team(self.team).get(closed_at=None).pk])
        )
        self.assertContains(page, "As last time: earthy and sewage")

    def test_last_time_stands_beside_and_the_place_shows_the_course(self):
        for flow in (1, 2):
            self.begin()
            visit = Visit.objects.for_team(self.team).get(closed_at=None)
            self.send(visit, seen(("flow", flow), ("conductivity", 200 + flow), ("air_temperature", -3)))
            if flow == 2:
                page = self.client.get(reverse("conditions:conditions", args=[visit.pk]))
                self.assertContains(page, "last time slow")
            self.client.post(reverse("visits:close", args=[visit.pk]))
        page = self.client.get(reverse("places:place", args=[self.place.pk]))
        self.assertEqual([point.result.value for point in page.context["seen_chart"].here], [201, 202])
        cold = self.client.get(reverse("places:place", args=[self.place.pk]) + "?seen=air_temperature")
        chart = cold.context["seen_chart"]
        self.assertTrue(all(0 < point.y <= HEIGHT for point in chart.here))

    def test_two_visits_at_once_are_joined_with_each_hand_kept_or_left_apart_with_a_reason(self):
        planned(self.membership, self.place)
        olek = member(self.team, "Olek")
        first = visited(self.place, self.membership, minutes=60)
        second = visited(self.place, olek, minutes=30)
        self.send(first, seen(("conductivity", 300)))
        record(olek, "visit", second.pk, seen(("conductivity", 310), ("temperature", 4.4)))
        sample = drawn(self.place, olek, minutes=1)
        Sample.objects.for_team(self.team).filter(pk=sample.pk).update(visit=second)
        page = reverse("visits:visit", args=[first.pk])
        self.assertContains(self.client.get(page), "Two visits here at one time: are they one?")
        address, two = reverse("visits:tell_of_two", args=[first.pk]), {"other": str(second.pk)}
        self.assertContains(self.client.post(address, two | {"joined": "no", "why": " "}, follow=True), "Say why")
        told = self.client.post(address, two | {"joined": "no", "why": "Two ends of the reach"}, follow=True)
        self.assertContains(told, "was here at that time: Two ends of the reach")
        self.assertNotContains(told, f"sample-{sample.pk}")
        told = self.client.post(address, two | {"joined": "yes"}, follow=True)
        self.assertContains(told, "One visit with")
        self.assertContains(told, f"sample-{sample.pk}")
        # Its own reading stands first, what the other alone has stands by its own hand.
        sheet = field_sheet(first)
        now = {line.scale.key: line.now for line in sheet.in_place if line.now}
        self.assertEqual((now["conductivity"].value, now["temperature"].value), (300, 4.4))
        self.assertEqual((now["conductivity"].person, now["temperature"].person), (self.person, olek.user))
        self.assertNotIn("No sample was drawn.", sheet.missing)
        self.assertEqual({line.before for line in field_sheet(second).in_place}, {""})
        self.assertContains(self.client.get(reverse("visits:visit", args=[second.pk])), "One visit with")
        # Who leads neither is not asked, and what is no pair is none.
        sanna = member(self.team, "Sanna")
        self.client.force_login(sanna.user)
        self.client.post(address, two | {"joined": "no", "why": "no"})
        self.assertTrue(TwoVisits.objects.for_team(self.team).get().joined)
        self.client.force_login(self.person)
        for other in (str(first.pk), "x", ""):
            self.assertEqual(self.client.post(address, {"other": other, "joined": "yes"}).status_code, 404)
        self.assertEqual(TwoVisits.objects.for_team(self.team).count(), 1)
        # Those of another day, or that were closed before, are not asked about.
        self.assertEqual(at_once_with(visited(self.place, olek, days_ago=3)), [])
        both = Visit.objects.for_team(self.team).filter(pk__in=[first.pk, second.pk])
        both.update(closed_at=timezone.now() - timedelta(minutes=20))
        self.assertEqual(at_once_with(visited(self.place, olek, minutes=10)), [])
        self.assertEqual([each for each, _ in at_once_with(both.get(pk=first.pk))], [second])

    def test_a_sample_without_a_visit_has_its_sheet(self):
        result = measured(self.place, self.membership, 8, 8)
        sample = result.determination.sample
        sheet = reverse("samples:without_visit", args=[sample.visit_id])
        self.assertContains(self.client.get(reverse("results:result", args=[result.pk])), sheet)
        page = self.client.get(sheet)
        self.assertContains(page, f"?sample={sample.pk}")
        self.assertContains(page, reverse("results:determination", args=[result.determination_id]))
        self.assertContains(page, reverse("bench:method", args=[sample.pk]))
        # A visit has its own page, and another team's is nobody's.
        self.assertEqual(self.client.get(reverse("visits:visit", args=[sample.visit_id])).status_code, 404)
        led = visited(self.place, self.membership)
        theirs = measured(team_of("Maud")[1], Membership.objects.get(user__username="maud"), 8, 8)
        for pk, status in ((led.pk, 302), (theirs.determination.sample.visit_id, 404)):
            address = reverse("samples:without_visit", args=[pk])
            self.assertEqual(self.client.get(address).status_code, status)

    def test_the_next_step_leads_to_the_end_and_what_is_missing_is_said(self):
        planned(self.membership, self.place)
        other = Place.objects.create(team=self.team, name="Below")
        Pair.objects.create(team=self.team, kind="stream", first=self.place, second=other)
        self.assertContains(self.begin(), "Read in place, and note what you see")
        visit = self.visit()
        sheet = reverse("visits:visit", args=[visit.pk])
        self.send(visit, seen(("conductivity", 300), ("flow", 2), ("temperature", 4.4)))
        self.assertContains(self.client.get(sheet), "Draw the sample")
        page = self.client.get(reverse("samples:sample", args=[self.place.pk]) + "?way=bucket")
        self.assertContains(page, "never tie the rope to yourself")
        form = {"drawn_at": timezone.localtime().strftime("%Y-%m-%dT%H:%M"), "drawn_by": self.person.pk}
        self.assertEqual(page.context["form"].initial["water_temperature_c"], 4.4)
        page = self.client.post(reverse("samples:sample", args=[self.place.pk]), form | {"way": "bucket"}, follow=True)
        # On it goes to the tests; the visit's own page says what comes next.
        self.assertEqual(page.redirect_chain[-1][0], reverse("bench:board", args=[visit.pk]))
        page = self.client.get(sheet)
        self.assertContains(page, "Test: Chloride, drops")
        self.assertContains(page, "28 days")
        self.assertContains(self.client.get(reverse("visits:close", args=[visit.pk])), "Chloride, drops: to do.")
        measured(self.place, self.membership, 8, 8)
        self.assertContains(self.client.get(sheet), "<b>Close the visit</b>")
        page = self.client.post(reverse("visits:close", args=[visit.pk]), {"remark": "rain came"}, follow=True)
        self.assertContains(page, "rain came")
        self.assertContains(page, "Next: Below")
        again = self.client.post(reverse("visits:close", args=[visit.pk]), follow=True)
        self.assertContains(again, "This visit was closed")
        late = self.send(visit, seen(("foam", 2))).json()
        self.assertEqual(len(late["late"]), 1)
        self.assertContains(self.client.get(sheet), "1 observation arrived after closing")

    def test_pause_and_hand_over(self):
        olek = member(self.team, "Olek").user
        self.begin()
        visit = self.visit()
        self.client.post(reverse("visits:pause", args=[visit.pk]))
        self.assertContains(self.client.get("/today/"), "paused")
        self.client.post(reverse("visits:resume", args=[visit.pk]))
        address = reverse("visits:hand_over", args=[visit.pk])
        self.assertContains(self.client.post(address, {"taker": self.person.pk}, follow=True), "Choose someone")
        self.client.post(address, {"taker": olek.pk, "remark": "blank is done"})
        visit.refresh_from_db()
        self.assertEqual((visit.leader, set(visit.people.all())), (olek, {olek, self.person}))
        self.client.force_login(olek)
        self.assertContains(self.client.get("/today/"), "Go on: Ines&#x27;s brook")
        self.assertContains(self.client.get(reverse("visits:visit", args=[visit.pk])), "blank is done")

    def test_a_closed_visit_is_neither_paused_nor_handed_on_nor_noted_in(self):
        olek = member(self.team, "Olek").user
        self.begin()
        visit = self.visit()
        self.client.post(reverse("visits:close", args=[visit.pk]), {"remark": ""})
        for act, data in (("pause", {}), ("resume", {}), ("hand_over", {"taker": olek.pk})):
            page = self.client.post(reverse(f"visits:{act}", args=[visit.pk]), data, follow=True)
            self.assertContains(page, "This visit was closed")
        self.assertEqual(len(led(self.membership, visit, "handed_over", taker=olek.pk).late), 1)
        self.assertEqual((visit.leader, visit.paused_at), (self.person, None))
        self.assertRedirects(
            self.client.get(reverse("conditions:conditions", args=[visit.pk])), reverse("visits:visit", args=[visit.pk])
        )

    def test_no_instrument_is_chosen_but_of_the_kit_in_use(self):
        kits = [Kit.objects.create(team=self.team, name=name) for name in ("Streams", "Wells")]
        meters = [
            keep_instrument(
                self.membership,
                Instrument(team=self.team, name=f"Meter, {kit}", measures="conductivity", resolution=1, kit=kit),
            )
            for kit in kits
        ]
        page = reverse("conditions:conditions", args=[visited(self.place, self.membership).pk])
        begin_page = (
            reverse("bench:method", args=[drawn(self.place, self.membership).pk]) + "?family=conductivity-meter"
        )

        def chosen():
            on_visit, before = (" ".join(self.client.get(each).content.decode().split()) for each in (page, begin_page))
            return [
                [meter for meter in meters if f'<option value="{meter.pk}" selected>' in on_visit],
                [meter for meter in meters if f'value="{meter.pk}" required checked' in before],
            ]

        # Which kit is in use here nobody knows; then a test was run with one of them.
        self.assertEqual(chosen(), [[], []])
        read(self.place, self.membership, "conductivity-meter", 300.0, kit=kits[1].pk)
        self.assertEqual(chosen(), [[meters[1]]] * 2)
        form = {"standard": "sealed", "expected": "1413", "allowed": "20", "reading": "1300,5"}
        self.assertEqual(self.client.post(f"/instruments/{meters[1].pk}/", form).status_code, 302)
        self.assertEqual(chosen(), [[], []])

    def test_of_no_kit_the_only_one_is_chosen_or_the_one_of_last_time_that_is_sound(self):
        first = keep_instrument(
            self.membership, Instrument(team=self.team, name="Streams", measures="conductivity", resolution=1)
        )
        visit = visited(self.place, self.membership)
        page = reverse("conditions:conditions", args=[visit.pk])
        only, chosen = self.client.get(page), f'<option value="{first.pk}" selected>'
        self.assertContains(only, chosen)
        wells = keep_instrument(
            self.membership, Instrument(team=self.team, name="Wells", measures="conductivity", resolution=1)
        )
        self.assertNotContains(self.client.get(page), chosen)
        note(self.membership, visited(self.place, self.membership, days_ago=9), ("conductivity", 300, first.pk))
        self.assertContains(self.client.get(page), chosen)
        form = {"standard": "sealed", "expected": "1413", "allowed": "20", "reading": "1300,5"}
        self.assertEqual(self.client.post(f"/instruments/{first.pk}/", form).status_code, 302)
        failed = self.client.get(page)
        self.assertContains(failed, '<option value="" selected>which instrument?')
        self.assertNotContains(failed, f'<option value="{wells.pk}" selected>')

    def test_an_observation_of_one_visit_is_not_taken_by_another(self):
        self.begin()
        first = self.visit()
        taps = seen(("flow", 1))
        self.send(first, taps)
        self.client.post(reverse("visits:close", args=[first.pk]), {"remark": ""})
        self.begin()
        second = Visit.objects.for_team(self.team).get(closed_at=None)
        reply = self.send(second, [*taps, *seen(("flow", 2))]).json()
        self.assertEqual(reply["refused"], [[taps[0]["id"], "This tap belongs elsewhere."]])
        self.assertEqual((len(reply["kept"]), second.observations.count(), first.observations.count()), (1, 1, 1))

    def test_a_sample_too_old_for_its_test_is_said_and_flagged(self):
        sample = drawn(self.place, self.membership, days_ago=40)
        begun = begin_test(self.membership, {"sample": str(sample.pk), "method": "chloride-drops-25"})
        taps = Taps().answer("ph", 7.2).run("blank-1", 1).run("sample-1", 8).run("sample-2", 8)
        send(self.membership, begun, taps.close())
        self.assertEqual(standing(begun).flags, ["sample-too-old"])
        self.assertContains(
            self.client.get(reverse("bench:method", args=[sample.pk]) + "?family=chloride-drops"),
            "should be tested within 28 days",
        )

    def test_the_depth_is_the_schools(self):
        for school, depth in (("place", 20), ("hand", 10), ("forearm", 30)):
            choose_house_rules(self.membership, house_rules(self.team), {"depth": school})
            page = self.client.get(reverse("samples:sample", args=[self.place.pk]) + "?way=wade")
            self.assertContains(page, f"Fill at {depth} cm below the surface")
            self.assertEqual(page.context["form"].initial["depth_cm"], depth)

    def test_a_label_keeps_its_number_and_leads_to_the_sample(self):
        self.client.post("/visits/labels/", {"place": [self.place.pk]})
        bottle = Bottle.objects.for_team(self.team).get()
        page = self.client.get(f"/visits/labels/?bottle={bottle.pk}")
        self.assertContains(page, "<svg")
        scan = reverse("samples:bottle", args=[bottle.code])
        self.assertRedirects(
            self.client.get(scan), reverse("samples:sample", args=[self.place.pk]) + f"?bottle={bottle.pk}"
        )
        measured(self.place, self.membership, 8, 8)
        form = {"drawn_at": timezone.localtime().strftime("%Y-%m-%dT%H:%M"), "drawn_by": self.person.pk}
        drawing = reverse("samples:sample", args=[self.place.pk])
        form |= {"bottle": bottle.pk, "once": "5f0a7b9e-6a37-4a8e-b0c7-2a50a6a1b6b1"}
        self.client.post(drawing, form)
        self.client.post(drawing, form | {"bottle": ""})
        # A page that is gone back to and sent otherwise is no repeat.
        otherwise = self.client.post(drawing, form | {"bottle": "", "water_temperature_c": "9"})
        self.assertContains(otherwise, "is noted already, otherwise than this", status_code=422)
        sample = Sample.objects.for_team(self.team).get(bottle=bottle)
        self.assertEqual(sample.number, bottle.number)
        self.assertRedirects(self.client.get(scan), reverse("bench:method", args=[sample.pk]))
        again = self.client.post(drawing, form | {"bottle": bottle.pk, "once": ""})
        self.assertEqual(again.status_code, 422)
        numbers = Sample.objects.for_team(self.team).values_list("number", flat=True)
        self.assertEqual(len(numbers), len(set(numbers)))
        self.assertContains(self.client.post("/visits/labels/", {}, follow=True), "Choose 1 to 40 places")

    def test_when_a_sample_was_drawn_goes_by_the_clock_on_which_it_was_said(self):
        now, wrong = timezone.now(), timedelta(hours=7)

        def drew(minutes_ago):
            at = (now - wrong - timedelta(minutes=minutes_ago)).isoformat()
            data = {"place": self.place.pk, "sample": str(uuid.uuid4()), "at": at}
            tap = tapped("sample_drawn", data, at=now - wrong)
            return data["sample"], record(self.membership, "visit", uuid.uuid4(), [tap], now - wrong)

        sample, _ = drew(20)
        drawn_at = Sample.objects.for_team(self.team).get(pk=sample).drawn_at
        self.assertLess(abs(drawn_at - (now - timedelta(minutes=20))), timedelta(seconds=5))
        for minutes, words in ((-60, "still to come"), (60 * 24 * 400, "more than a year ago")):
            self.assertIn(words, drew(minutes)[1].refused[0][1])

    def test_units_are_each_persons_own_and_what_is_stored_stays(self):
        result = measured(self.place, self.membership, 8, 8)
        self.begin()
        self.send(self.visit(), seen(("temperature", 4)))
        units = {"concentration_unit": "ppm", "temperature_unit": "degF", "hardness_unit": "dH", "amount_system": "us"}
        self.client.post("/team/units/", units)
        self.assertContains(self.client.get("/log/"), '<b class="num big">32</b> ppm')
        self.assertContains(self.client.get(reverse("visits:visit", args=[self.visit().pk])), ">39.2</span> °F")
        result.refresh_from_db()
        self.assertEqual(result.unit, "mg/L")
        refused = self.client.post("/team/units/", {"concentration_unit": "stone"}, follow=True)
        self.assertContains(refused, "units offered")


@override_settings(MEDIA_ROOT="/tmp/kessa-test-files")
class Photographs(PageTest):
    def setUp(self):
        self.membership, self.place = team_of("Ines")
        self.client.force_login(self.membership.user)
        self.address = reverse("photographs:add", args=["place", self.place.pk])

    def upload(self, content, name="brook.jpg", address=None):
        file = SimpleUploadedFile(name, content, content_type="image/jpeg")
        return self.client.post(address or self.address, {"image": file, "caption": "The ford"}, follow=True)

    def picture(self, kind="JPEG", size=(3000, 1500), **kwargs):
        out = io.BytesIO()
        Image.new("RGB", size, "#446655").save(out, kind, **kwargs)
        return out.getvalue()

    def test_it_is_made_anew_without_what_the_camera_wrote_but_the_time(self):
        exif = Image.Exif()
        exif[0x0132] = "2026:11:20 08:15:00"
        exif[0x010F] = "Spy camera"
        exif.get_ifd(0x8825)[2] = (54.0, 18.0, 45.0)
        page = self.upload(self.picture(exif=exif) + b"<script>appended()</script>")
        self.assertContains(page, "The ford")
        kept = Photograph.objects.for_team(self.membership.team).get()
        self.assertEqual((kept.width, kept.height), (2000, 1000))
        self.assertEqual(timezone.localtime(kept.taken_at).strftime("%d %H:%M"), "20 08:15")
        served = self.client.get(reverse("photographs:image", args=[kept.pk]))
        body = b"".join(served)
        self.assertEqual(served["Content-Type"], "image/jpeg")
        self.assertFalse(Image.open(io.BytesIO(body)).getexif())
        self.assertNotIn(b"appended", body)
        other, _ = team_of("Ulf")
        self.client.force_login(other.user)
        self.assertEqual(self.client.get(reverse("photographs:image", args=[kept.pk])).status_code, 404)
        self.assertEqual(self.upload(self.picture()).status_code, 404)

    def test_a_cameras_own_colours_are_brought_to_those_every_screen_shows(self):
        profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
        # A camera that calls red what is green.
        swapped = profile.replace(b"rXYZ", b"....").replace(b"gXYZ", b"rXYZ").replace(b"....", b"gXYZ")
        out = io.BytesIO()
        Image.new("RGB", (40, 30), "#c83214").save(out, "JPEG", icc_profile=swapped, quality=95)
        self.upload(out.getvalue())
        kept = Photograph.objects.for_team(self.membership.team).get()
        shown = Image.open(io.BytesIO(b"".join(self.client.get(reverse("photographs:image", args=[kept.pk])))))
        red, green, _ = shown.getpixel((20, 15))
        self.assertGreater(green, red + 100)

    def test_what_a_phone_kept_and_sends_twice_is_one_photograph(self):
        address = reverse("photographs:add", args=["place", self.place.pk])
        data = {"made_as": str(uuid.uuid4()), "caption": "The ford"}
        for content, status in ((self.picture(), 200), (self.picture(), 200), (b"<svg/>", 422)):
            made = data if status == 200 else {"caption": "no"}
            file = SimpleUploadedFile("x.jpg", content)
            answer = self.client.post(address, made | {"image": file}, headers={"Accept": "application/json"})
            self.assertEqual((answer.status_code, "error" in answer.json()), (status, status == 422))
        self.assertEqual(Photograph.objects.for_team(self.membership.team).count(), 1)

    def test_what_a_phone_sends_twice_at_the_same_moment_is_one_photograph(self):
        def send():
            data = {"made_as": made_as, "image": SimpleUploadedFile("x.jpg", self.picture())}
            return self.client.post(address, data, headers={"Accept": "application/json"}).status_code

        def meanwhile(file):
            with patch("kessa.record.photographs.services.read_picture", read_picture):
                self.assertEqual(send(), 200)
            return read_picture(file)

        made_as, address = str(uuid.uuid4()), reverse("photographs:add", args=["place", self.place.pk])
        with patch("kessa.record.photographs.services.read_picture", meanwhile):
            self.assertEqual(send(), 200)
        self.assertEqual(Photograph.objects.for_team(self.membership.team).count(), 1)

    def test_too_large_disguised_or_broken_files_are_refused(self):
        whole = self.picture()
        for content, words in (
            (b"\xff\xd8\xff" + b"0" * 40_000_000, "At most 15 MB: this file has 40"),
            (b"<svg onload='x()'/>", "no photograph Kessa can read"),
            (b"MZ\x90 program", "no photograph"),
            (whole[: len(whole) // 3], "no photograph"),
            (self.picture("GIF", (30, 30)), "no photograph"),
            (self.picture("PNG", (9000, 7000)), "too many pixels"),
            (b"", "Choose a photograph"),
        ):
            with self.subTest(words):
                self.assertContains(self.upload(content), words)
        self.assertFalse(Photograph.objects.for_team(self.membership.team).exists())

    def test_of_a_visit_a_sample_and_a_run_and_removed_by_whom_it_belongs_to(self):
        result = measured(self.place, self.membership, 8, 8)
        visit = visited(self.place, self.membership)
        sample = drawn(self.place, self.membership)
        for subject, pk in (("visit", visit.pk), ("sample", sample.pk), ("determination", result.determination_id)):
            page = self.upload(self.picture("PNG", (40, 30)), address=reverse("photographs:add", args=[subject, pk]))
            self.assertContains(page, "The ford")
        self.assertEqual(self.client.post(reverse("photographs:add", args=["team", 1])).status_code, 404)
        kept = Photograph.objects.for_team(self.membership.team).first()
        self.client.force_login(member(self.membership.team, "Olek").user)
        self.assertEqual(self.client.post(reverse("photographs:remove", args=[kept.pk])).status_code, 403)
        self.client.force_login(self.membership.user)
        self.client.post(reverse("photographs:remove", args=[kept.pk]))
        self.assertEqual(Photograph.objects.for_team(self.membership.team).count(), 2)
