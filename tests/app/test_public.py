"""What everybody may see: what was released and opened, and nothing else, at any address."""

import re

from django.core.cache import cache
from django.test import override_settings
from django.utils import timezone

from kessa.record.people.access import Who
from kessa.record.people.acts import NotAllowed
from kessa.record.people.models import Contact
from kessa.record.people.services import keep_contact
from kessa.record.places.models import Place
from kessa.record.public.models import Page
from kessa.record.public.services import close_page, open_page
from kessa.record.results.models import Result
from kessa.record.review.selectors import seen_of
from kessa.record.review.services import accept, release, take_back
from kessa.record.testing.exclusions import exclude
from kessa.record.visits.models import Visit
from kessa.web.permissions import addresses
from tests.app.everything import named, one_of_each
from tests.app.pages import PageTest
from tests.world import SETS, Taps, begin, led, measured, member, note, planned, read, send, team_of, visited

# What must never be read by everybody: people, what they wrote, where it is.
SECRET = ("Olek", "olek", "Ines", "ines", "Sanna", "gate sticks", "blue door", "54.5", "+44", "Hazard: deep")


@override_settings(MEDIA_ROOT="/tmp/kessa-test-files")
class Public(PageTest):
    def setUp(self):
        cache.clear()
        self.ines, self.brook = team_of("Ines")
        self.team = self.ines.team
        self.team.name = "Ashlin friends"
        self.team.save()
        self.olek = member(self.team, "Olek")
        self.place = Place.objects.create(
            team=self.team, name="Ford", limit_sets=SETS, how_to_find="behind the blue door", hazards="Hazard: deep",
            latitude=54.5, longitude=-2.5,
        )  # fmt: skip
        keep_contact(self.ines, Contact(team=self.team, role="keeper", name="Sanna", telephone="+44 1"))

    def release(self, result):
        visit = Visit.objects.for_team(self.team).select_related("team").get(pk=result.visit_id)
        accept(self.ines, visit, seen=seen_of(visit))
        release(self.ines, visit)
        return visit

    def shown(self, page, within=""):
        self.client.logout()
        return self.client.get(f"/open/to/{page.slug}/{within}")

    def test_germs_come_first_in_plain_words_and_a_doubt_is_said(self):
        well = Place.objects.create(
            team=self.team, name="Spring", kind_key="well", limit_sets=["eu-2020"], feeds=["people"]
        )
        read(well, self.olek, "nitrate-photometer", 5.5, days_ago=2)

        def cultured(seen, days_ago=0):
            begun = begin(well, self.olek, "ecoli-presence", days_ago=days_ago)
            taps = Taps(days_ago=days_ago)
            for part in ("coliforms", "e-coli"):
                taps.read({"seen": seen}, part=part)
            send(self.olek, begun, taps.close())

        def told():
            cache.clear()
            answer = self.shown(Page.across_teams.get(place=well))
            return re.sub(r"\s+", " ", re.sub(r"<[^>]+>", "", answer.content.decode()))

        def released():
            for result in Result.objects.for_team(self.team).filter(place=well):
                if result.visit.review != "released":
                    self.release(result)

        cultured("present", days_ago=2)
        open_page(self.ines, self.team, well, "")
        self.assertIn("A sample drawn here is not shown yet", told())
        released()
        text = told()
        self.assertIn("Nobody drinks this water unless it has boiled", text)
        self.assertLess(text.index("E. coli present"), text.index("Nitrate"))
        self.assertIn("In doubt: one run only", text)
        self.assertNotIn("A sample drawn here is not shown yet", text)
        # What is newer is not shown before it is released, and lifts nothing when it is.
        cultured("absent")
        self.assertIn("A sample drawn here is not shown yet", told())
        released()
        self.assertIn("It stays so until the health authority has said that it is over", told())

    def test_only_what_was_released_and_only_when_it_is_opened(self):
        going = visited(self.place, self.olek, days_ago=2)
        note(self.olek, going, ("air_temperature", 8.0))
        led(self.olek, going, "visit_closed", remark="The gate sticks.")
        for day, count in ((40, 7), (20, 8), (2, 9)):
            self.release(measured(self.place, self.olek, count, count, days_ago=day))
        measured(self.place, self.olek, 22, 22)
        planned(self.ines, self.place)
        with self.assertRaises(NotAllowed):
            open_page(self.olek, self.team, self.place, "")
        page = open_page(self.ines, self.team, self.place, "A ford below the dairy.")
        for within in ("", "within/"):
            answer = self.shown(page, within)
            self.assertContains(answer, "Ford")
            self.assertContains(answer, "A ford below the dairy.")
            self.assertContains(answer, "3 results since")
            self.assertContains(answer, "<svg")
            self.assertContains(answer, f"Tested next about {timezone.localdate():%-d %B %Y}")
            # Nothing of the unreleased 22 drops, 88 mg/L, and of nobody.
            text = re.sub(r"<svg.*?</svg>", "", answer.content.decode(), flags=re.DOTALL)
            for word in SECRET:
                self.assertNotIn(word, text)
            self.assertNotRegex(re.sub(r"<[^>]*>", "", text), r"\b88\b")
            self.assertNotIn("<script", answer.content.decode())
            self.assertNotIn("Cookie", answer.get("Vary", ""))
            self.assertFalse(answer.cookies)
            self.assertEqual(answer["Cache-Control"], "public, max-age=60")
            again = self.client.get(answer.request["PATH_INFO"], headers={"If-None-Match": answer["ETag"]})
            self.assertEqual(again.status_code, 304)
        self.assertIn("frame-ancestors *", answer["Content-Security-Policy"])
        self.assertNotIn("X-Frame-Options", answer)
        self.assertEqual(self.shown(page)["X-Frame-Options"], "DENY")
        close_page(self.ines, page)
        self.assertEqual(self.shown(page).status_code, 404)
        self.assertEqual(open_page(self.ines, self.team, self.place, "").slug, page.slug)

    def test_what_is_taken_back_or_set_aside_is_gone(self):
        page = open_page(self.ines, self.team, self.place, "")
        self.assertContains(self.shown(page), "Nothing has been released here yet.")
        results = [measured(self.place, self.olek, 7, 7, days_ago=day) for day in (9, 5)]
        visits = [self.release(result) for result in results]
        self.assertContains(self.shown(page), "2 results since")
        take_back(self.ines, visits[0], why="the wrong week")
        self.assertContains(self.shown(page), "1 result since")
        exclude(self.ines, results[1], why="the wrong bottle")
        cache.clear()
        self.assertContains(self.shown(page), "Nothing has been released here yet.")

    def test_the_teams_own_page_names_only_open_places(self):
        page = open_page(self.ines, self.team, None, "")
        self.assertContains(self.shown(page), "No place is open yet.")
        self.release(measured(self.place, self.olek, 7, 7))
        open_page(self.ines, self.team, self.place, "")
        self.assertContains(self.shown(page), "28")
        self.assertNotContains(self.shown(page), "brook")

    def test_water_that_people_drink_is_never_called_safe(self):
        well = Place.objects.create(team=self.team, name="Well", kind_key="well", feeds=["people"])
        self.assertContains(
            self.shown(open_page(self.ines, self.team, well, "")), "never says that water is safe to drink"
        )

    def test_opening_and_the_poster(self):
        self.client.force_login(self.ines.user)
        self.assertContains(self.client.get("/open/"), "Nothing is open")
        answer = self.client.post("/open/", {"place": self.place.pk, "words": ""}, follow=True)
        self.assertContains(answer, "is open to everybody")
        page = Page.objects.for_team(self.team).get()
        self.assertContains(answer, f"/open/to/{page.slug}/within/")
        poster = self.client.get(f"/open/poster/{page.pk}/")
        self.assertContains(poster, "What is in this water?")
        self.assertContains(poster, 'class="qr"')
        self.client.post(f"/open/close/{page.pk}/")
        self.assertEqual(self.client.get(f"/open/poster/{page.pk}/").status_code, 404)

    def test_no_address_tells_the_anonymous_anything_else(self):
        result = measured(self.brook, self.ines, 8, 8)
        rows = one_of_each(self.ines, self.brook)
        page = Page.objects.for_team(self.team).get()
        open_to_all = {pattern for pattern, view in addresses() if getattr(view, "open_to", None) is Who.ANYONE}
        asked = {address for _, address in named(rows)} | {pattern for pattern, _ in addresses() if "<" not in pattern}
        asked |= {f"/open/to/{page.slug}/", f"/open/to/{page.slug}/within/"}
        own = [str(result.value), "Ines", "ines's", "Olek", self.brook.name, *SECRET]
        for address in sorted(asked):
            with self.subTest(address):
                answer = self.client.get(address)
                if address not in open_to_all and not address.startswith("/open/to/") and answer.status_code == 302:
                    self.assertEqual(answer["Location"].split("?")[0], "/account/in/")
                elif address not in open_to_all and not address.startswith("/open/to/"):
                    self.assertIn(answer.status_code, (404, 405))
                if not address.startswith("/open/to/") and answer.status_code == 200:
                    text = b"".join(answer).decode(errors="replace")
                    for word in own:
                        self.assertNotIn(word, text)
