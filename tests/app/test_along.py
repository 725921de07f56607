"""What is taken along of a visit: the page knows the rules of safety without a signal, and what will be tested."""

import json
import re
from unittest.mock import patch

from django.urls import reverse
from django.utils.html import escapejs

from kessa.core.job.hazards import hazards
from kessa.pages.base.bundles import needed
from kessa.record.people.models import Contact
from kessa.record.places.models import Place
from kessa.record.rounds.services import plan_stop
from kessa.record.visits.safety import SafetyForm
from tests.app.pages import PageTest
from tests.world import planned, safety, stocked_kit, team_of

# What is made anew each time a page is written.
NEW = re.compile(
    r'(?<=csrfmiddlewaretoken" value=")\w+|(?<=name="once" value=")[\w-]+|(?<="made_at": ")[^"]+|(?<="whose": ")[^"]+'
    # Between the two the clock may strike.
    r'|(?<=name="drawn_at" value=")[^"]+'
)


def unpacked(answer):
    """Return the pages of an answer in which nothing is said twice, by address, as the phone puts them together."""
    pieces, found = [], {}
    for line in b"".join(answer.streaming_content).decode().splitlines():
        address, given = json.loads(line)
        text = []
        for each in given or ():
            new = [each] if isinstance(each, str) else pieces[each[0] : sum(each)]
            text += new
            pieces += new if isinstance(each, str) else []
        found[address] = None if given is None else "".join(text)
    return found


class TakenAlong(PageTest):
    def setUp(self):
        self.membership, self.place = team_of("Ines")
        self.client.force_login(self.membership.user)
        stocked_kit(self.membership)

    def along(self, place=None):
        page = self.client.get(reverse("offline:visit", args=[(place or self.place).pk]))
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

    def test_places_come_in_one_answer_that_says_nothing_twice_and_one_that_fails_holds_up_no_other(self):
        other = Place.objects.create(team=self.place.team, name="The ford", kind_key="stream")
        theirs = team_of("Olek")[1]
        asked = {"place": [self.place.pk, other.pk, theirs.pk, "x", 10**30]}
        pages = unpacked(self.client.get(reverse("offline:visits"), asked))
        along = [reverse("offline:visit", args=[place.pk]) for place in (self.place, other)]
        self.assertEqual([address for address in pages if address in along], along)
        self.assertNotIn(reverse("offline:visit", args=[theirs.pk]), pages)
        parts = set(re.findall(r'data-at="([^"]+)"', pages[along[0]] + pages[along[1]]))
        self.assertEqual({*along, *parts}, pages.keys())
        for address in (along[1], *sorted(parts)[::5]):
            alone = self.client.get(address).content.decode()
            self.assertEqual(*(NEW.sub("", page) for page in (pages[address], alone)))
        sent = b"".join(self.client.get(reverse("offline:visits"), asked).streaming_content)
        self.assertLess(len(sent), sum(map(len, pages.values())) * 2 / 3)
        # Only so many phones keep a thread at a time.
        busy = [self.client.get(reverse("offline:visits"), asked) for _ in range(2)]
        self.assertEqual(self.client.get(reverse("offline:visits"), asked).status_code, 503)
        for answer in busy:
            unpacked(answer)
        with patch("kessa.pages.offline.views._other_methods", side_effect=[ValueError, []]):
            pages = unpacked(self.client.get(reverse("offline:visits"), asked))
        self.assertEqual([pages[address] is None for address in along], [True, False])

    def test_whom_to_call_and_what_comes_first_stands_on_one_page(self):
        page = self.client.get(reverse("actions:emergency"))
        self.assertContains(page, "Nobody is named yet")
        for role, name, telephone in (("spill_line", "Rivers", "01632 960170"), ("laboratory", "Garth", "")):
            of = {"role": role, "name": name, "telephone": telephone, "waters": ["open"]}
            Contact.objects.create(team=self.place.team, **of)
        page = self.client.get(reverse("actions:emergency"))
        self.assertContains(page, 'href="tel:01632960170"')
        self.assertContains(page, "Rivers")
        for hazard in hazards():
            self.assertContains(page, hazard.first_aid, html=False)

    def test_it_is_installed_as_an_app_and_the_worker_keeps_what_pages_are_made_of(self):
        self.client.logout()
        data = self.client.get("/kessa.webmanifest").json()
        self.assertEqual((data["start_url"], data["display"]), ("/today/", "standalone"))
        worker = self.client.get("/worker.js").content.decode()
        for page in ("bench/board-page.js", "conditions/visit.js", "phone/phone.js", "offline/visit.js"):
            for name in needed()[page]:
                self.assertIn(f'/{escapejs(name)}"', worker)
        self.assertNotContains(self.client.get("/not-along/"), "Ines")

    def test_where_nothing_is_planned_and_where_water_may_be_hot(self):
        self.assertContains(self.along()[0], "No test is planned here")
        boiler = Place.objects.create(team=self.place.team, name="The boiler", kind_key="boiler")
        page, _ = self.along(boiler)
        self.assertContains(page, "Boiler water is hot and under pressure")
        self.assertContains(page, "Isolation by site rules")
        self.assertContains(page, "before it is drawn")
