"""Reports: numbered, kept as given out, their figures worked out by hand, and told of what changed since."""

import re
from datetime import UTC, datetime, timedelta

from django.core.exceptions import ValidationError
from django.db import connection
from django.utils import timezone

from kessa.record.actions.services import note_done
from kessa.record.people.acts import NotAllowed
from kessa.record.places.models import Place
from kessa.record.products.models import Product, ProductLot
from kessa.record.products.services import add_lot, keep_product
from kessa.record.reports.kind import KINDS, gather
from kessa.record.reports.models import Report
from kessa.record.reports.services import body_of, issue, would_be
from kessa.record.reports.tasks import print_paper
from kessa.record.rounds.selectors import missed_between
from kessa.record.rounds.services import answer_without_visit
from kessa.record.rules.selectors import house_rules
from kessa.record.rules.services import choose_house_rules
from kessa.record.testing.exclusions import exclude
from kessa.record.visits.models import Visit
from tests.app.pages import PageTest
from tests.world import Taps, begin, led, measured, member, note, planned, read, send, team_of, visited


def plain_text(html):
    """What a reader sees of a page, a space for every tag."""
    return re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", html)).strip()


class ReportCase(PageTest):
    def setUp(self):
        self.ines, self.place = team_of("Ines")
        self.team = self.ines.team
        self.olek = member(self.team, "Olek")

    def body(self, kind, **about):
        return plain_text(body_of(kind, gather(self.team, kind, about)))


class Months(ReportCase):
    def test_the_figures_of_a_month_by_hand(self):
        # Chloride by drops of 4 mg/L: 5, 7 and 30 drops are 20, 28 and over 100; then 10 drops, 40, set aside.
        results = [
            measured(self.place, self.olek, count, count, days_ago=nth) for nth, count in enumerate((5, 7, 30, 10))
        ]
        month = datetime(2026, 3, 1, 12, tzinfo=UTC)
        for nth, result in enumerate(results):
            self.move(result, month + timedelta(days=nth * 3))
        exclude(self.ines, results[3], why="the wrong bottle")
        section = gather(self.team, "month", {"month": "2026-03", "place": self.place.pk}).context["sections"][0]
        (line,) = section.lines
        self.assertEqual((line.parameter, line.unit, line.form, line.period.number), ("chloride", "mg/L", "Cl", 3))
        self.assertEqual(
            (line.period.minimum.value, line.period.maximum.value, line.period.maximum.censor), (20.0, 100.0, ">")
        )
        # (20 + 28 + 100) / 3, over the range as one of them was.
        self.assertAlmostEqual(line.period.mean.value, 49.333, places=3)
        self.assertEqual((line.period.mean.censor, line.period.over), (">", 1))
        self.assertEqual(line.period.percentiles[50].value, 24.0)
        canada = next(each for each in line.against if each.limit["set"] == "ca-aquatic" and each.limit["max"] == 120)
        self.assertEqual((canada.judged, canada.verdicts["inside"]), (3, 2))
        given = self.body("month", month="2026-03", place=self.place.pk)
        self.assertIn("20 &gt;49.3 &gt;100 24 too few too few a quarter has none", given)
        self.assertIn("the wrong bottle", given)

    def test_the_running_mean_counts_what_the_month_counts(self):
        counts = (5, 5, 5, 20, 5)
        found = [measured(self.place, self.olek, each, each, days_ago=nth) for nth, each in enumerate(counts)]
        for result, (year, month) in zip(found, ((2025, 5), (2025, 8), (2025, 11), (2026, 1), (2026, 3)), strict=True):
            self.move(result, datetime(year, month, 9, 12, tzinfo=UTC))
        Visit.objects.for_team(self.team).exclude(pk=found[3].visit_id).update(review="reviewed")

        def running():
            (section,) = gather(self.team, "month", {"month": "2026-03", "place": self.place.pk}).context["sections"]
            return section.lines[0].running.quantity.value

        # Quarters of 20, 20, 20 and of 80 and 20; of the 80 nobody said yet that it is right.
        self.assertAlmostEqual(running(), 27.5)
        choose_house_rules(self.ines, house_rules(self.team), {"before_review": "waits"})
        self.assertAlmostEqual(running(), 20)

    def test_what_is_told_in_words_stands_in_order_of_time_and_name(self):
        for day in (2, 1):
            test = begin(self.place, self.olek, "ecoli-presence", days_ago=day)
            taps = Taps(days_ago=day)
            for part in ("coliforms", "e-coli"):
                taps.read({"seen": "absent"}, part=part)
            send(self.olek, test, taps.close())
        drawn = timezone.localtime(test.sample.drawn_at)
        month = {"month": f"{drawn:%Y-%m}", "place": self.place.pk}
        (section,) = gather(self.team, "month", month).context["sections"]
        names = [each.parameter for each in section.said_in_words if each.taken_at == test.sample.drawn_at]
        self.assertEqual(names, ["E. coli", "coliform bacteria"])

    def move(self, result, moment):
        with connection.cursor() as cursor:
            cursor.execute("UPDATE log_result SET taken_at = %s WHERE id = %s", [moment, result.pk])

    def test_what_was_missed_and_why(self):
        planned(self.ines, self.place, days_ago=3)
        answer_without_visit(self.ines, self.place, why="the ford is flooded")
        today = timezone.localdate()
        missed = missed_between(self.place, today - timedelta(days=10), today)
        self.assertEqual(
            [(each.due_on, each.reason) for each in missed],
            [*((today - timedelta(days=day), "") for day in (3, 2, 1)), (today, "the ford is flooded")],
        )

    def test_a_month_without_results_or_of_nowhere(self):
        given = self.body("month", month="2019-02", place=self.place.pk)
        self.assertIn("No result stands in this month.", given)
        self.assertIn("no place where people drink", self.body("month", month="2026-03"))
        with self.assertRaisesMessage(ValidationError, "nothing to report"):
            issue(self.ines, self.team, "month", {"month": "2019-02"})


class Papers(ReportCase):
    def test_numbered_kept_and_told_of_what_changed_since(self):
        result = measured(self.place, self.olek, 7, 7)
        about = {"visit": str(result.visit_id)}
        with self.assertRaises(NotAllowed):
            issue(self.olek, self.team, "sheet", about)
        first, second = (issue(self.ines, self.team, "sheet", about) for _ in range(2))
        self.assertEqual([first.number, second.number, first.results], [1, 2, [result.pk]])
        self.client.force_login(self.olek.user)
        self.assertContains(self.client.get("/reports/1/kessa-report.pdf"), "being printed", status_code=202)
        print_paper(first.pk)
        first.refresh_from_db()
        self.assertTrue(bytes(first.paper).startswith(b"%PDF"))
        print_paper(first.pk)
        self.assertEqual(would_be(first), first.body)
        self.client.force_login(self.olek.user)
        self.assertContains(self.client.get("/reports/1/"), "it says the same")
        self.assertContains(self.client.get(f"/log/{result.pk}/"), "Given out in")
        exclude(self.ines, result, why="the wrong bottle")
        page = self.client.get("/reports/1/")
        self.assertContains(page, "Changed since it was issued")
        self.assertContains(page, "the wrong bottle")
        self.assertContains(page, "would say something else")
        self.assertContains(self.client.get(f"/log/{result.pk}/"), "Given out before it ended")
        kept = Report.objects.for_team(self.team).get(number=1)
        self.assertEqual((kept.body, bytes(kept.paper)), (first.body, bytes(first.paper)))
        self.assertEqual(self.client.get("/reports/1/kessa-report.pdf").content, bytes(first.paper))

    def test_the_sheet_holds_what_was_seen_and_the_certificate_the_working(self):
        visit = visited(self.place, self.olek)
        note(self.olek, visit, ("air_temperature", 8.0))
        result = measured(self.place, self.olek, 7, 7)
        led(self.olek, visit, "visit_closed", remark="The gate sticks.")
        given = self.body("sheet", visit=str(visit.pk))
        for words in ("28 mg/L as Cl", "7, 7 drops", "8 °C", "The gate sticks.", "Olek", "inside"):
            self.assertIn(words, given)
        given = self.body("certificate", sample=str(result.determination.sample_id))
        for words in ("Run 2: 7 × 4 = 28 mg/L as Cl", "not by a certified laboratory", "Signature", "at most 120 mg/L"):
            self.assertIn(words, given)

    def test_a_system_with_what_was_done_and_used_up(self):
        boiler = Place.objects.create(team=self.team, kind_key="boiler", name="Boiler", facts={"volume_l": 4200.0})
        product = keep_product(self.ines, Product(team=self.team, name="Cleaner", does="cleans", label_per_m3=5.0))
        drum = add_lot(self.ines, ProductLot(team=self.team, product=product, number="D-1"), 9.0)
        for amount in (2.0, 3.0):
            note_done(
                self.ines, boiler, timezone.now(), by_way="clean", title="", amount=amount, product=product, lot=drum
            )  # fmt: skip
        read(boiler, self.olek, "ph-meter", 9.5, 9.5)
        # Minutes after midnight what was just drawn is of yesterday.
        since, until = timezone.localdate() - timedelta(days=1), timezone.localdate()
        given = self.body("plant", place=boiler.pk, since=since.isoformat(), until=until.isoformat())
        for words in ("Cleaner 5 L 2", "cleaned", "Water volume 4200 L", "pH"):
            self.assertIn(words, given)
        with self.assertRaises(ValidationError):
            gather(self.team, "plant", {"place": self.place.pk, "since": str(since), "until": str(until)})

    def test_a_year_for_neighbours(self):
        measured(self.place, self.olek, 7, 7)
        content = gather(self.team, "year", {"place": self.place.pk, "year": timezone.localdate().year})
        body = body_of("year", content)
        self.assertIn('<svg class="trend"', body)
        self.assertIn("1 test: from 28 to 28 mg/L as Cl, on average 28.", plain_text(body))

    def test_what_is_asked_for_is_checked(self):
        other, theirs = team_of("Ulf")
        foreign = measured(theirs, other, 7, 7)
        self.client.force_login(self.ines.user)
        for address in (
            f"/reports/make/sheet/?visit={foreign.visit_id}",
            f"/reports/make/certificate/?sample={foreign.determination.sample_id}",
            "/reports/make/secret/",
        ):
            self.assertEqual(self.client.get(address).status_code, 404, address)
        for address in (
            "/reports/make/sheet/?visit=1",
            "/reports/make/month/?month=2026-13",
            f"/reports/make/month/?month=2026-01&place={theirs.pk}",
            "/reports/make/plant/?since=2026-02-01&until=2026-01-01",
            f"/reports/make/year/?year=26&place={self.place.pk}",
        ):
            self.assertRedirects(self.client.get(address), "/reports/")
        for key, kind in KINDS.items():
            self.assertRedirects(self.client.get(f"/reports/make/{key}/"), "/reports/")
            with self.assertRaises(ValidationError):
                gather(self.team, key, {"place": self.place.pk, "visit": "1", "sample": "1"})
            self.assertEqual(kind.form.offered, f'action="/reports/make/{key}/"' in self.client.get("/reports/").text)
        page = self.client.get(f"/reports/make/year/?year=2026&place={self.place.pk}")
        self.assertContains(page, "there is nothing to issue")
        self.assertContains(self.client.get("/reports/?before=9"), "None yet.")
