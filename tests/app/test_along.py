"""What is taken along of a visit: the page knows the rules of safety without a signal, and what will be tested."""

import json
import re

from django.urls import reverse

from kessa.places.models import Place
from kessa.rounds.services import plan_stop
from kessa.visits.forms import SafetyForm
from tests.app.pages import PageTest
from tests.world import planned, safety, stocked_kit, team_of


class TakenAlong(PageTest):
    def setUp(self):
        self.membership, self.place = team_of("Ines")
        self.client.force_login(self.membership.user)
        stocked_kit(self.membership)

    def along(self, place=None):
        page = self.client.get(reverse("visits:along", args=[(place or self.place).pk]))
        payload = re.search(r'id="along-payload" type="application/json">(.*?)</script>', page.content.decode(), re.S)
        return page, json.loads(payload.group(1))

    def test_the_page_refuses_what_the_form_refuses_in_its_words(self):
        boiler = Place.objects.create(team=self.place.team, name="The boiler", kind_key="boiler")
        for place in (self.place, boiler):
            refusals = self.along(place)[1]["refusals"]
            for changes, key in (
                ({}, "1001 none"),
                ({"company": None}, "0001 none"),
                ({"ice_or_flood": "ice"}, "1001 ice"),
                ({"company": None, "alone": "on", "ice_or_flood": "flood"}, "0101 flood"),
                ({"plant_ready": None}, "1000 none"),
            ):
                form = SafetyForm(place, safety(**{"plant_ready": "on", **changes}))
                form.is_valid()
                errors = [str(error) for of_field in form.errors.values() for error in of_field]
                with self.subTest(place=place.name, key=key):
                    self.assertEqual(refusals.get(key, []), errors)
        self.assertTrue(self.along()[1]["refusals"]["0001 none"])

    def test_it_holds_the_tests_that_are_planned_and_nothing_of_the_server_s_numbers(self):
        plans = {family: {"runs": 2, "blanks": 0, "standards": 0} for family in ("nitrate-ampoule", "ph-strip")}
        plan_stop(self.membership, planned(self.membership, self.place), self.place, plans, ["conductivity"])
        page, payload = self.along()
        families = re.findall(r'data-family="([^"]*)"', page.content.decode())
        self.assertEqual(families, ["ph-strip", "nitrate-ampoule"])
        self.assertContains(page, "The tests in time")
        self.assertIn("00000000-0000-0000-0000-000000000000", payload["visit_at"])
        self.assertEqual(payload["place"], self.place.pk)

    def test_it_is_installed_as_an_app_and_the_worker_keeps_what_pages_are_made_of(self):
        self.client.logout()
        said = self.client.get("/kessa.webmanifest").json()
        self.assertEqual((said["start_url"], said["display"]), ("/today/", "standalone"))
        worker = self.client.get("/worker.js").content.decode()
        for name in ("board", "circumstances", "phone", "uuid5"):
            self.assertIn(f"js/{name}.", worker)
        self.assertNotContains(self.client.get("/not-along/"), "Ines")

    def test_where_nothing_is_planned_and_where_water_may_be_hot(self):
        self.assertContains(self.along()[0], "No test is planned here")
        boiler = Place.objects.create(team=self.place.team, name="The boiler", kind_key="boiler")
        page, _ = self.along(boiler)
        self.assertContains(page, "Boiler water is hot and under pressure")
        self.assertContains(page, "Isolation by site rules")
        self.assertContains(page, "before it is drawn")
