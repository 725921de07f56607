"""The record put right: what was read, answered, noted; set aside and brought back; who may, and what is left of it."""

import csv
import io
import re
from pathlib import Path

from django.conf import settings
from django.core.exceptions import ValidationError
from django.urls import reverse

from kessa.record.people.access import Who
from kessa.record.people.acts import ACTS
from kessa.record.people.models import Act
from kessa.record.results.models import Mark, Result
from kessa.record.testing.corrections import correct_answer, correct_reading
from kessa.record.testing.services import begin_test
from kessa.record.visits.models import Observation
from kessa.web.permissions import addresses, permissions_page
from tests.app.pages import PageTest
from tests.world import Taps, begin, led, measured, member, note, read, send, standing, team_of, visited


class PutRight(PageTest):
    def setUp(self):
        self.ines, self.place = team_of("Ines")
        self.olek = member(self.ines.team, "Olek")
        self.sanna = member(self.ines.team, "Sanna")
        self.client.force_login(self.olek.user)

    def rows(self, query=""):
        body = b"".join(self.client.get(f"/log/kessa-log.csv?{query}")).decode("utf-8-sig")
        return list(csv.DictReader(io.StringIO(body)))

    def put_right(self, result, run=2, **form):
        return self.client.post(reverse("results:correct_reading", args=[result.pk, run]), form, follow=True)

    def test_a_count_is_put_right_written_anew_and_the_earlier_stays_to_be_seen(self):
        before = measured(self.place, self.olek, 8, 18)
        self.assertContains(self.put_right(before, count=8, endpoint="on"), "required", status_code=422)
        self.assertContains(self.put_right(before, count=99, endpoint="on", why="x"), "25", status_code=422)
        page = self.put_right(before, count=8, endpoint="on", why="Wrote 18 for 8")
        after = standing(before.determination)
        self.assertEqual((after.value, after.readings["words"], "corrected" in after.flags), (32, "8, 8 drops", True))
        for words in ("put right", "18 drops became 8 drops", "Wrote 18 for 8", "Earlier result"):
            self.assertContains(page, words)
        self.assertContains(self.client.get(reverse("results:result", args=[before.pk])), "To the result that stands")
        (row,) = self.rows()
        self.assertEqual((row["result"], "Wrote 18 for 8" in row["put right"]), ("32.0", True), row)
        self.assertEqual([each["raw reading"] for each in self.rows("superseded=on")], ["8, 8 drops", "8, 18 drops"])
        self.assertEqual(
            Mark.objects.for_team(self.place.team).get(result=before, flag="superseded").replaced_by, after
        )
        # Nothing changed: nothing is written.
        self.put_right(after, count=8, endpoint="on", why="Again")
        self.assertEqual(standing(before.determination), after)

    def test_a_comparator_a_display_and_an_answer_are_put_right(self):
        colour = read(self.place, self.olek, "phosphate-comparator", {"at": 20})
        page = self.client.get(reverse("results:correct_reading", args=[colour.pk, 1]))
        (between,) = (
            key for key, words in page.context["form"].fields["reading"].choices if words == "between 20 and 30"
        )
        self.put_right(colour, 1, reading=between, why="Looked again at the picture")
        self.assertEqual(standing(colour.determination).value, 25)
        shown = read(self.place, self.olek, "nitrate-photometer", 2.0, 9.0)
        self.put_right(shown, 2, display=2.0, why="Upside down")
        self.assertEqual(standing(shown.determination).value, 8.86)
        answer = reverse("results:correct_answer", args=[standing(shown.determination).pk, "ph"])
        self.client.post(answer, {"value": "11", "why": "On the strip"})
        self.assertIn("ph-outside", standing(shown.determination).flags)

    def test_a_sample_and_what_was_seen_are_put_right_and_what_rests_on_them_is_written_anew(self):
        visit = visited(self.place, self.olek)
        note(self.olek, visit, ("flow", 1), ("temperature", 44.0))
        result = measured(self.place, self.olek, 8, 8)
        sample = result.determination.sample
        form = {"drawn_at": "2026-01-02T10:30", "drawn_by": self.sanna.user_id, "depth_cm": 35, "why": "Other notebook"}
        self.client.post(reverse("samples:correct", args=[sample.pk]), form)
        sample.refresh_from_db()
        after = standing(result.determination)
        self.assertEqual((sample.depth_cm, sample.drawn_by, after.taken_at), (35, self.sanna.user, sample.drawn_at))
        seen = reverse("conditions:correct", args=[visit.pk, "temperature"])
        self.assertContains(self.client.post(seen, {"value": 400, "why": "slip"}), "", status_code=422)
        page = self.client.post(seen, {"value": 4.4, "why": "A point was missing"}, follow=True)
        self.assertContains(page, "A point was missing")
        kept = Observation.objects.for_team(self.place.team).get(visit=visit, key="temperature")
        self.assertEqual((kept.value, kept.corrected), (4.4, True))
        # What was forgotten is noted after.
        forgotten = reverse("conditions:correct", args=[visit.pk, "air_temperature"])
        self.assertRedirects(
            self.client.post(forgotten, {"value": "6,5", "why": "forgotten"}), reverse("visits:visit", args=[visit.pk])
        )
        added = Observation.objects.for_team(self.place.team).get(visit=visit, key="air_temperature")
        self.assertEqual((added.value, added.corrected), (6.5, True))

    def test_a_result_is_set_aside_without_a_new_test_and_brought_back(self):
        result = measured(self.place, self.olek, 8, 8)
        aside, back = (reverse(f"results:{name}", args=[result.pk]) for name in ("exclude", "restore"))
        self.assertContains(self.client.post(aside, {"why": " "}, follow=True), "Say why")
        self.assertContains(self.client.post(aside, {"why": "Tap water"}, follow=True), "Set aside by mistake?")
        self.assertEqual(self.rows(), [])
        self.assertContains(self.client.post(aside, {"why": "Tap water"}, follow=True), "stands no more")
        self.assertContains(self.client.post(back, {"why": "It was the brook"}, follow=True), "It stands again")
        self.assertEqual(len(self.rows()), 1)
        self.assertContains(self.client.get(reverse("results:result", args=[result.pk])), "It was the brook")

    def test_a_ph_is_asked_once_a_sample_and_anew_where_it_was_put_right(self):
        first = measured(self.place, self.ines, 8, 8).determination

        def asked():
            data = {"sample": str(first.sample_id), "method": "chloride-drops-25"}
            return "ph" in begin_test(self.ines, data).method.asks

        self.assertFalse(asked())
        correct_answer(self.ines, first, "ph", 12.0, why="the strip said 12")
        self.assertTrue(asked())
        correct_answer(self.ines, first, "ph", 7.0, why="it was 7 after all")
        self.assertFalse(asked())

    def stages(self, *counts, endpoint=True):
        """Count P and total alkalinity in one vessel, a pair of counts a run."""
        begun = begin(self.place, self.ines, "alkalinity-stages-drops-5")
        taps = Taps()
        for number, (first, further) in enumerate(counts, 1):
            taps.run(f"first-{number}", first).run(f"sample-{number}", further, endpoint=endpoint)
        send(self.ines, begun, taps.close())
        return begun

    def came_to(self, begun):
        rows = Result.objects.for_team(self.place.team).current().filter(determination=begun)
        return {each.parameter: (each.censor, each.value) for each in rows}

    def test_two_stages_are_put_right_each_by_itself(self):
        begun = self.stages((20, 8), (20, 8))
        before = {"P alkalinity": ("", 400), "alkalinity": ("", 560), "hydroxide alkalinity": ("", 240)}
        self.assertEqual(self.came_to(begun), before)

        def right(part, count):
            for run in (1, 2):
                correct_reading(self.ines, begun, run, {"count": count}, part=part, why="misread")
            return self.came_to(begun)

        self.assertEqual(right("total", 30)["alkalinity"], ("", 600))
        self.assertEqual(self.came_to(begun)["P alkalinity"], ("", 400))
        # What came on top stands: with one drop less in the first stage there is one less in all.
        self.assertEqual(
            right("p", 19), {"P alkalinity": ("", 380), "alkalinity": ("", 580), "hydroxide alkalinity": ("", 180)}
        )
        with self.assertRaisesMessage(ValidationError, "The first stage alone took 19"):
            right("total", 12)

    def test_two_stages_at_the_ends_of_their_ranges(self):
        none = self.came_to(self.stages((0, 9), (0, 9)))
        self.assertEqual(
            (none["P alkalinity"][0], none["alkalinity"], none["hydroxide alkalinity"][1]), ("<", ("", 180), 0)
        )
        over = self.came_to(self.stages((20, 25), (20, 25), endpoint=False))
        self.assertEqual((over["P alkalinity"], over["alkalinity"]), (("", 400), (">", 900)))
        self.assertNotIn("hydroxide alkalinity", over)
        begun = begin(self.place, self.ines, "alkalinity-stages-drops-5")
        send(self.ines, begun, Taps().run("first-1", 30, endpoint=False).close())
        beyond = self.came_to(begun)
        self.assertEqual((beyond["P alkalinity"], beyond["alkalinity"]), ((">", 600), (">", 600)))

    def test_a_run_of_two_stages_is_void_as_a_whole_and_books_both(self):
        begun = begin(self.place, self.ines, "alkalinity-stages-drops-5")
        taps = Taps().run("first-1", 20)
        taps.add("sample-1", "voided")
        taps.run("first-2", 20).run("sample-2", 8).run("first-3", 21).run("sample-3", 8)
        send(self.ines, begun, taps.close())
        self.assertEqual(self.came_to(begun)["P alkalinity"], ("", 410))
        result = Result.objects.for_team(self.place.team).current().get(determination=begun, part="total")
        self.assertEqual(
            (result.readings["words"], result.readings["void"], result.readings["used"]), ("28, 29 drops", [1], [2, 3])
        )
        computed = Result.objects.for_team(self.place.team).current().get(determination=begun, part="hydroxide")
        self.assertContains(self.client.get(reverse("results:result", args=[computed.pk])), "2 × 410 − 570 = 250")

    def test_a_result_is_never_changed(self):
        result = measured(self.place, self.olek, 8, 8)
        result.value = 1
        with self.assertRaisesMessage(TypeError, "never changed"):
            result.save()
        with self.assertRaisesMessage(TypeError, "never changed"):
            Result.objects.for_team(self.place.team).update(value=1)


class WhoMay(PageTest):
    def setUp(self):
        self.ines, self.place = team_of("Ines")
        self.olek = member(self.ines.team, "Olek")
        self.sanna = member(self.ines.team, "Sanna")
        self.per = member(self.ines.team, "Per", "technician")

    def test_anothers_work_is_refused_to_volunteers_and_the_refusal_is_kept(self):
        result = measured(self.place, self.sanna, 8, 8)
        visit = visited(self.place, self.sanna)
        self.client.force_login(self.olek.user)
        page = self.client.get(reverse("results:result", args=[result.pk]))
        self.assertNotContains(page, "Put right")
        for address, form in (
            (reverse("results:correct_reading", args=[result.pk, 1]), {"count": 3, "endpoint": "on", "why": "mine"}),
            (reverse("results:exclude", args=[result.pk]), {"why": "mine"}),
            (reverse("results:repeat", args=[result.determination_id]), {"why": "mine"}),
            (reverse("results:further_run", args=[result.determination_id]), {"why": "mine"}),
            (reverse("samples:correct", args=[result.determination.sample_id]), {
                "drawn_at": "2026-01-02T10:30", "drawn_by": self.olek.user_id, "why": "mine"}),
        ):  # fmt: skip
            self.assertEqual(self.client.post(address, form).status_code, 403, address)
        self.assertIn("visits they lead", led(self.olek, visit, "visit_closed").refused[0][1])
        refused = Act.objects.for_team(self.ines.team).filter(refused=True, person=self.olek.user)
        self.assertEqual(refused.count(), 6)
        self.client.force_login(self.ines.user)
        acts = self.client.get("/team/acts/")
        self.assertContains(acts, "refused")
        self.client.force_login(self.per.user)
        self.client.post(reverse("results:exclude", args=[result.pk]), {"why": "Wrong bottle"})
        self.assertFalse(Result.objects.for_team(self.ines.team).current().exists())
        self.assertEqual(self.client.get("/team/acts/").status_code, 403)

    def test_every_address_is_open_to_whom_the_table_says(self):
        page = (Path(settings.ROOT) / "docs" / "permissions.md").read_text()
        self.assertEqual(page, permissions_page(), "run manage.py write_permissions")
        clients = {Who.ANYONE: None, Who.MEMBER: self.olek, Who.TECHNICIAN: self.per, Who.COORDINATOR: self.ines}
        pieces = {"uuid": "5f0a7b9e-6a37-4a8e-b0c7-2a50a6a1b6b1", "int": "4711", "slug": "none", "str": "none"}
        for pattern, view in addresses():
            who = getattr(view, "open_to", None)
            self.assertIsNotNone(who, pattern)
            if who is Who.ANYONE:
                continue
            address = re.sub(r"<(\w+):\w+>", lambda piece: pieces[piece[1]], pattern)
            for rank, by in clients.items():
                self.client.logout()
                if by:
                    self.client.force_login(by.user)
                status = self.client.post(address).status_code
                if by is None:
                    self.assertEqual(status, 302, address)
                elif rank < who:
                    self.assertEqual(status, 403, (address, rank))
                else:
                    self.assertNotEqual(status, 500, (address, rank))

    def test_what_a_page_asks_of_the_rules_is_an_act(self):
        asked = re.compile(r"\|may:\"([\w.]+)\"|may_with \"([\w.]+)\"")
        names = {
            one or other
            for path in (Path(settings.ROOT) / "kessa").rglob("*.html")
            for one, other in asked.findall(path.read_text())
        }
        self.assertLessEqual(names, set(ACTS))
        self.assertGreater(len(names), 8)
