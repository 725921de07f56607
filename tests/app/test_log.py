"""The log, its filters and its way out; places; and what pages cost."""

import csv
import io
import json
from datetime import timedelta
from unittest.mock import patch

from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.utils import timezone

from kessa.record.kits import selectors as kits
from kessa.record.kits.models import Lot
from kessa.record.results.models import Mark, Result
from kessa.record.taps.models import Tap
from kessa.record.testing.repeats import repeat
from tests.app.pages import PageTest
from tests.world import begin, measured, member, stocked_kit, team_of


class Log(PageTest):
    def setUp(self):
        self.membership, self.place = team_of("Ines")
        self.client.force_login(self.membership.user)

    def rows(self, query=""):
        body = b"".join(self.client.get(f"/log/kessa-log.csv?{query}")).decode("utf-8-sig")
        return list(csv.DictReader(io.StringIO(body)))

    def test_filters_narrow_the_page_and_the_file_alike(self):
        olek = member(self.membership.team, "Olek")
        high = measured(self.place, olek, 26)
        low = measured(self.place, self.membership, 8, 8, days_ago=40)
        day = (timezone.localtime() - timedelta(days=20)).date()
        for query, found in (
            ("", [high, low]),
            (f"person={olek.user_id}", [high]),
            ("verdict=inside", [low]),
            ("verdict=outside", []),
            (f"from_day={day}", [high]),
            (f"to_day={day}", [low]),
            (f"place={self.place.pk}&parameter=chloride", [high, low]),
        ):
            with self.subTest(query):
                self.assertEqual([float(row["result"]) for row in self.rows(query)], [each.value for each in found])
                page = self.client.get(f"/log/?{query}")
                self.assertEqual([each.id for each in page.context["page"].results], [each.pk for each in found])
        self.assertContains(self.client.get("/log/?verdict=outside"), "Nothing in the log fits")
        self.assertContains(self.client.get("/log/?after=forged"), "8, 8 drops")

    def test_what_cannot_be_asked_for_is_refused_and_never_answered_with_all(self):
        measured(self.place, self.membership, 8, 8)
        for nonsense, said in (
            ("place=x", "Place: “x” is not in the log."),
            ("from_day=31-31-31", "From: “31-31-31” is no date."),
            ("verdict=maybe", "Verdict: “maybe” is not in the log."),
            ("person=-1&parameter=chloride", "Person: “-1” is not in the log."),
            ("lot=9999999999999999999999", "is not in the log."),
            ("review=maybe", "Review: “maybe” is not in the log."),
        ):
            with self.subTest(nonsense):
                for page in (f"/log/?{nonsense}", f"/log/kessa-log.csv?{nonsense}"):
                    answer = self.client.get(page, headers={"HX-Request": "true"}, follow=True)
                    self.assertContains(answer, said)
                    self.assertNotContains(answer, "8, 8 drops")
                asked = {"format": "zip", "filters": nonsense}
                self.assertContains(self.client.post("/exchange/out/", asked), said, status_code=422)

    def test_the_log_is_narrowed_by_whatever_it_holds(self):
        olek = member(self.membership.team, "Olek")
        found = measured(self.place, olek, 8, 8)
        olek.delete()
        copy = Result.across_teams.get(pk=found.pk)
        copy.pk, copy.parameter, copy.method_key, copy.person_id = None, "Legionella", "their-own", None
        Result.across_teams.bulk_create([copy])
        kit = stocked_kit(self.membership)
        old = Lot.objects.for_team(kit.team).first()
        for query in (f"person={olek.user_id}", "parameter=Legionella", "method=their-own"):
            with self.subTest(query):
                self.assertEqual(len(self.rows(query)), 1)
        for said in ("Olek, no longer in the team", "their-own, no longer in use"):
            self.assertContains(self.client.get("/log/more-filters/"), said)
        with patch.object(kits, "_MOST_LOTS", 0):
            self.assertContains(self.client.get(f"/log/?lot={old.pk}"), "Nothing in the log fits")

    def test_files_that_are_being_written_leave_threads_for_the_taps(self):
        measured(self.place, self.membership, 8, 8)
        one, two = (iter(self.client.get("/log/kessa-log.csv")) for _ in "12")
        next(one)
        waiting = self.client.get("/log/kessa-log.csv")
        self.assertContains(waiting, "This one comes by itself", status_code=503)
        self.assertIn(b"kessa-again", waiting.content)
        list(one)
        self.assertEqual(len(self.rows()), 1)
        list(two)

    def test_the_file_reads_back_and_holds_no_formula(self):
        self.place.name = "=HYPERLINK(1)"
        self.place.save()
        determination = measured(self.place, self.membership, 8, 7).determination
        determination.lot = "@lot"
        determination.save()
        (row,) = self.rows()
        self.assertEqual((row["place"], row["lot"]), ("'=HYPERLINK(1)", "'@lot"))
        self.assertEqual(
            (row["raw reading"], row["result"], row["low"], row["high"]), ("8, 7 drops", "30.0", "22.0", "32.28842986")
        )
        self.assertEqual(
            (row["unit"], row["form"], row["method"], row["method version"]), ("mg/L", "Cl", "chloride-drops-25", "5")
        )
        self.assertEqual((float(row["longitude"]), row["person"], row["blank"]), (-2.5, "Ines", "1, good"))
        self.assertRegex(row["sample drawn"], r"^\d{4}-\d\d-\d\dT\d\d:\d\d[+-]\d\d:\d\d$")

    def test_what_is_superseded_is_left_out_unless_asked_for(self):
        result = measured(self.place, self.membership, 8, 8)
        repeat(self.membership, result.determination, why="wrong bottle")
        self.assertEqual(self.rows(), [])
        (row,) = self.rows("superseded=on")
        self.assertEqual((bool(row["stands no more"]), row["why"]), (True, "wrong bottle"))
        self.assertContains(self.client.get(f"/log/{result.pk}/"), "wrong bottle")

    def test_the_working_is_shown_with_source_and_statistic(self):
        result = measured(self.place, self.membership, 8, 7)
        page = self.client.get(f"/log/{result.pk}/")
        for words in ("8 × 4 = 32 mg/L as Cl", "US EPA 440/5-88-001", "One reading against a 4-day average", "3.999"):
            self.assertContains(page, words)


class Costs(PageTest):
    """Query counts that do not grow with rows."""

    def setUp(self):
        self.membership, self.place = team_of("Ines")
        self.client.force_login(self.membership.user)
        for days in range(10):
            measured(self.place, self.membership, 8, 8, days_ago=days)
        self.begun = begin(self.place, self.membership)

    def multiply(self):
        """Make a thousand results of ten, each with a determination of its own row."""
        some = list(Result.objects.for_team(self.place.team))
        copies = []
        for _ in range(100):
            for result in some:
                result.pk = None
                result.taken_at -= timedelta(days=30)
                copies.append(Result(**{f.attname: getattr(result, f.attname) for f in Result._meta.concrete_fields}))
        ended = {"team": self.place.team, "flag": "superseded", "at": timezone.now()}
        Mark.across_teams.bulk_create(Mark(result=copy, **ended) for copy in Result.across_teams.bulk_create(copies))

    def costs(self):
        pages = ["/log/?superseded=on", f"/places/{self.place.pk}/", "/places/", "/bench/", f"/bench/{self.begun.pk}/"]
        counts = {}
        for address in pages:
            with CaptureQueriesContext(
                connection,
            ) as queries:
                self.assertEqual(self.client.get(address).status_code, 200)
            counts[address] = len(queries)
        with CaptureQueriesContext(connection) as queries:
            body = json.dumps({"taps": [], "known": 0})
            self.client.post(f"/taps/bench/{self.begun.pk}/", body, content_type="application/json")
        counts["taps"] = len(queries)
        return counts

    def test_ten_and_a_thousand_results_cost_the_same_queries(self):
        few = self.costs()
        self.multiply()
        self.assertGreater(Result.objects.for_team(self.place.team).count(), 1000)
        self.assertEqual(self.costs(), few)
        self.assertLess(max(few.values()), 24, few)

    def test_paging_gives_every_result_once(self):
        self.multiply()
        seen, address = [], "/log/?superseded=on"
        while address:
            page = self.client.get(address).context["page"]
            seen += [result.id for result in page.results]
            address = page.next_key and f"/log/?superseded=on&after={page.next_key}"
        self.assertEqual(len(seen), len(set(seen)))
        self.assertEqual(len(seen), Result.objects.for_team(self.place.team).count())
        self.assertEqual(Tap.objects.for_team(self.place.team).filter(kind="drop_added").count(), 10 * 17)
