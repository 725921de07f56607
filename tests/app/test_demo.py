"""The demo world, and that nothing in it was written by hand."""

from django.core.management import call_command
from django.test import TestCase

from kessa.bench.models import Determination, Result
from kessa.bench.selectors import bench_of, counted_events, judge_outcome
from kessa.people.models import Team
from kessa.places.models import Place
from kessa.web.demo import world

KINDS = {"stream": 4, "boiler": 1, "cooling-tower": 1, "closed-loop": 1, "heating-loop": 1, "supply": 1, "well": 5}


class TarrowVale(TestCase):
    @classmethod
    def setUpTestData(cls):
        world.build()
        cls.team = Team.objects.get(name="Tarrow Vale")
        cls.results = Result.objects.for_team(cls.team).select_related("determination__sample__visit__place")

    def test_every_result_follows_from_its_taps(self):
        self.assertGreater(len(self.results), 70)
        for result in self.results:
            outcome = bench_of(result.determination, counted_events(result.determination)).outcome
            self.assertEqual(outcome.quantity, result.quantity)
            judged = judge_outcome(result.determination, outcome)
            self.assertEqual((judged.verdict or "", judged.flags), (result.verdict, result.flags))

    def test_two_years_at_three_places_with_what_happened(self):
        first, last = self.results.earliest("taken_at"), self.results.latest("taken_at")
        self.assertGreater((last.taken_at - first.taken_at).days, 700)
        kinds = list(Place.objects.for_team(self.team).values_list("kind_key", flat=True))
        self.assertEqual({kind: kinds.count(kind) for kind in kinds}, KINDS)
        spill = self.results.filter(verdict="outside")
        self.assertTrue(all(result.place.name.endswith("below the depot") for result in spill))
        self.assertIn(190, {round(result.value, -1) for result in spill})
        self.assertTrue(self.results.filter(flags__contains=["not-agreed"]).exists())
        over = Determination.objects.for_team(self.team).exclude(continues=None)
        self.assertTrue(all(each.continues.results.get().censor == ">" for each in over))
        above = self.results.filter(place__name__endswith="above the depot")
        self.assertFalse(above.exclude(verdict="inside").exists())

    def test_it_is_built_once(self):
        before = Result.objects.for_team(self.team).count()
        call_command("load_demo", stdout=open("/dev/null", "w"))  # noqa: SIM115, PTH123
        self.assertEqual(Result.objects.for_team(self.team).count(), before)

    def test_its_people_sign_in_and_its_pages_open(self):
        self.client.post("/account/in/", {"login": "maud", "password": world.DATA["password"]})
        for address in (
            "/today/",
            "/bench/",
            "/log/",
            "/places/",
            "/kits/",
            "/kits/pack/",
            "/today/rounds/",
            "/rules/",
            "/team/",
        ):
            self.assertContains(self.client.get(address), "Maud")
        for place in Place.objects.for_team(self.team):
            known = place.results.count()
            words = "Usual here:" if known >= 8 else ("after 8 results" if known else "No results here yet.")
            self.assertContains(self.client.get(f"/places/{place.pk}/"), words)
        for result in self.results:
            self.assertContains(self.client.get(f"/log/{result.pk}/"), "The working")
