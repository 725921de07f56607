"""What the pages of places and the log say, in the team's own time."""

import re
from datetime import UTC, datetime, timedelta
from pathlib import Path
from tempfile import TemporaryDirectory

from django.conf import settings
from django.contrib.staticfiles.finders import get_finders
from django.urls import reverse
from django.utils import timezone

from kessa.pages.base.bundles import digest, made_of, needed
from kessa.record.people.models import Team
from kessa.record.places.models import Pair, Place
from kessa.record.results.models import Result
from kessa.web.static import Storage
from kessa.web.styles import WRITTEN, used_styles
from tests.app.pages import PageTest
from tests.world import SETS, begin, measured, team_of


class Pages(PageTest):
    def setUp(self):
        self.membership, self.place = team_of("Ines")
        self.client.force_login(self.membership.user)

    def test_the_place_shows_trend_pair_usual_and_latest_visit(self):
        above = Place.objects.create(team=self.membership.team, name="The spring", limit_sets=SETS)
        Pair.objects.create(team=self.place.team, kind="stream", first=above, second=self.place)
        measured(above, self.membership, 5, 5, days_ago=3)
        for days in range(8, 0, -1):
            measured(self.place, self.membership, 8, 8, days_ago=days)
        page = self.client.get(f"/places/{self.place.pk}/")
        self.assertContains(page, "and ○ The spring")
        self.assertContains(page, 'in the middle <b class="num">32</b>')
        self.assertContains(page, "Aquatic life, Canada, long term: 120")
        self.assertContains(page, "Beyond the top of this scale")
        self.assertEqual(len(page.context["chart"].there), 1)
        latest = page.content.decode().partition("Latest visit")[2]
        self.assertEqual(latest.count("8, 8 drops"), 1)
        compared = self.client.get(f"/places/{self.place.pk}/pairs/")
        self.assertContains(compared, "<b>The spring</b>, upstream")
        self.assertContains(compared, f'<option value="{above.pk}">The spring</option>', html=True)

    def test_every_tap_is_told_where_the_page_asks(self):
        result = measured(self.place, self.membership, 8, 8)
        told = reverse("results:taps", args=[result.determination_id])
        self.assertContains(self.client.get(f"/log/{result.pk}/"), f'hx-get="{told}"')
        self.assertContains(self.client.get(told), "it stays: end")

    def test_a_floor_that_was_repeated_is_not_drawn_but_stays_in_the_log(self):
        over = measured(self.place, self.membership, 26)
        self.client.post(f"/log/of/{over.determination_id}/on/")
        self.assertNotContains(self.client.get(f"/places/{self.place.pk}/"), "&gt;100</td>")
        self.assertContains(self.client.get("/log/"), "over the range")
        self.assertContains(self.client.get(f"/log/{over.pk}/"), "To the repeat")

    def test_htmx_gets_the_rows_alone_and_a_link_to_the_older_ones(self):
        measured(self.place, self.membership, 8, 8)
        rows = self.client.get("/log/", headers={"hx-request": "true"})
        self.assertContains(rows, "8, 8 drops")
        self.assertNotContains(rows, "<html")
        whole = self.client.get("/log/", headers={"hx-request": "true", "hx-history-restore-request": "true"})
        self.assertContains(whole, "<html")
        for days in range(40):
            copy = Result.objects.for_team(self.place.team).latest("pk")
            copy.pk, copy._state.adding, copy.taken_at = None, True, timezone.now() - timedelta(days=days)
            copy.save()
        page = self.client.get("/log/")
        self.assertContains(page, "Older results")
        older = self.client.get(f"/log/?after={page.context['page'].next_key}")
        self.assertLess(older.context["page"].results[0].taken_at, page.context["page"].results[-1].taken_at)

    def test_the_bar_marks_to_which_part_a_page_belongs(self):
        for address, name in (
            ("/today/pack/", "Today"),
            ("/log/charts/", "Log"),
            ("/places/", "Places"),
            ("/kits/", "Kits"),
        ):
            marked = re.findall(r'aria-current="page"[^>]*>(\w+)</a>', self.client.get(address).content.decode())
            self.assertEqual(marked[0], name, address)

    def test_times_are_the_teams_own(self):
        Team.objects.filter(pk=self.membership.team_id).update(time_zone="Pacific/Auckland")
        result = measured(self.place, self.membership, 8, 8)
        result.pk, result._state.adding, result.taken_at = None, True, datetime(2026, 6, 30, 13, 5, tzinfo=UTC)
        result.save()
        self.assertContains(self.client.get(f"/log/{result.pk}/"), "1 July 2026, 01:05")
        self.assertIn(b"2026-07-01T01:05+12:00", b"".join(self.client.get("/log/kessa-log.csv")))
        self.assertEqual(len(self.client.get("/log/?from_day=2026-07-01&to_day=2026-07-01").context["page"].results), 1)
        self.assertEqual(len(self.client.get("/log/?to_day=2026-06-30").context["page"].results), 0)

    def test_the_scripts_that_are_served_were_made_of_those_that_are_there(self):
        there = [each for each in settings.PAGES.rglob("*.js") if "bundled" not in each.parts]
        there = {str(each.relative_to(settings.PAGES)): digest(each) for each in there if each.name != "htmx.min.js"}
        self.assertEqual(made_of(), there, "run bin/bundle")
        for name in {name for files in needed().values() for name in files}:
            self.assertTrue((settings.PAGES / name).exists(), name)

    def test_styles_hold_what_the_pages_use_and_scripts_are_named_by_content(self):
        self.assertEqual(WRITTEN.read_text(), used_styles(), "run manage.py write_styles")
        with TemporaryDirectory() as folder:
            storage = Storage(location=folder, base_url="/static/")
            found = {path: (finder, path) for finder in get_finders() for path, finder in finder.list([])}
            for path, (finder, _) in found.items():
                with finder.open(path) as file:
                    storage.save(path, file)
            hashed = {path: name for path, name, _ in storage.post_process({path: (storage, path) for path in found})}
            for path, name in hashed.items():
                if name.endswith(".js"):
                    imported = re.findall(r"""(?:from|import)\s*["'](\.[^"']+)""", (Path(folder) / name).read_text())
                    for each in imported:
                        self.assertRegex(each, r"\.[0-9a-f]{12}\.js$", path)

    def test_what_is_begun_comes_first_and_the_worker_names_what_it_keeps(self):
        begun = begin(self.place, self.membership)
        page = self.client.get("/bench/").content.decode()
        self.assertLess(page.index(f"/bench/{begun.pk}/"), page.index(f"/visits/sample/at/{self.place.pk}/"))
        self.assertNotIn("Lately", page)
        measured(self.place, self.membership, 8, 8)
        for address in ("/bench/", "/methods/chloride-drops-25/"):
            self.assertContains(self.client.get(address), "8, 8 drops")
        worker = self.client.get("/worker.js")
        self.assertEqual(worker["Content-Type"], "text/javascript")
        self.assertContains(worker, "bench/bench.css")
