"""Old notebooks: matched, mended, looked at, taken in, undone; twice is harmless."""

import io
import zipfile
from datetime import UTC, datetime
from types import SimpleNamespace
from unittest.mock import patch

from asgiref.sync import async_to_sync
from django.core.exceptions import ValidationError
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test import override_settings
from django.urls import reverse
from openpyxl import Workbook
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob

from kessa.record.exports.services import ask_for_export
from kessa.record.exports.tasks import write_export
from kessa.record.imports import services, tables, tasks
from kessa.record.imports.models import Import
from kessa.record.imports.rows import Reader, guess
from kessa.record.imports.tables import rows_in
from kessa.record.long_work.services import cancel
from kessa.record.long_work.tasks import take_up
from kessa.record.people.acts import NotAllowed
from kessa.record.people.models import Role
from kessa.record.places.models import Place
from kessa.record.reports.services import issue
from kessa.record.results.export import csv_pieces
from kessa.record.results.models import PlaceStatus, Result
from kessa.record.review.services import accept
from kessa.record.testing.corrections import correct_sample
from kessa.record.visits.models import Sample, Visit
from tests.app.pages import PageTest
from tests.world import SETS, measured, member, team_of

OLD = """Brook notebook of the school,,,,,
Site;Date;Time;Chloride (mg/L);Nitrate mg/L as N;Remarks
Ford;5.3.2019;9:40;28;1,2;clear
Ford;25.3.2019;;<5;n.d.;
Ford;1.4.2019;10:15;>200;-;after the thaw
Mill;2.4.2019;;31;0,8;
Ford;soon;;28;1;
Ford;3.4.2019;;twelve;1;
""".replace("Brook notebook of the school,,,,,\n", "Brook notebook of the school\n")


SHARED = {
    "[Content_Types].xml": b"""<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">
      <Override PartName="/xl/workbook.xml"
        ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/>
      <Override PartName="/xl/other.xml"
        ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sharedStrings+xml"/></Types>"""
}


def packed(parts, workbook=None):
    """A packed file of these parts, the others those of a workbook."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=9) as package:
        if workbook:
            with zipfile.ZipFile(workbook) as old:
                parts = {name: old.read(name) for name in old.namelist()} | parts
        for name, content in parts.items():
            package.writestr(name, content)
    return out.getvalue()


@override_settings(MEDIA_ROOT="/tmp/kessa-test-files")
class ImportTest(PageTest):
    def setUp(self):
        self.ines, _ = team_of("Ines")
        self.team = self.ines.team
        self.ford = Place.objects.create(team=self.team, name="Ford", limit_sets=SETS)
        self.client.force_login(self.ines.user)

    def brought(self, text=OLD, name="old.csv", content=None):
        file = SimpleUploadedFile(name, content or text.encode())
        answer = self.client.post("/exchange/in/file/", {"file": file})
        self.assertRegex(answer["Location"], r"/exchange/in/\d+/")
        return self.done(tasks.look_for_table, Import.objects.for_team(self.team).latest("pk"), "", "")

    def matched(self, imported, **reading):
        data = {"mark": ",", "order": "dmy", "place": "", "found_from": "0,1"} | reading
        services.match(self.ines, imported, imported.columns, data)
        return self.done(tasks.check_import, imported)

    def done(self, task, imported, *how):
        task(imported.pk, *how)
        imported.refresh_from_db()
        self.assertEqual(imported.fault, "")
        return imported

    def results(self):
        rows = Result.objects.for_team(self.team).filter(place=self.ford).order_by("taken_at", "parameter")
        return [(f"{each.taken_at:%d.%m.%H}", each.parameter, each.value, each.censor, each.verdict) for each in rows]

    def taken_in(self, *lines, **reading):
        """What a table amounts to once it is in the record, and why rows were doubtful, by their numbers."""
        imported = self.matched(self.brought("\n".join(lines)), **{"mark": ".", "found_from": ""} | reading)
        why = {row.number: " ".join(row.why) for row in imported.doubtful.all()}
        services.import_file(self.ines, imported)
        self.done(tasks.write_import, imported)
        self.assertEqual(imported.told["rows"], len(lines) - 1)
        return why


class TakenIn(ImportTest):
    def test_matched_mended_taken_in_and_undone(self):
        imported = self.brought()
        page = self.client.get(f"/exchange/in/{imported.pk}/")
        self.assertContains(page, "What is in the columns?")
        self.assertEqual(
            [each["subject"] for each in imported.columns], ["place", "date", "time", "result", "result", "remark"]
        )
        # As the browser sends it: what is guessed, and what only a person knows.
        data = {
            "mark": ",",
            "order": "dmy",
            "place": "",
            "found_from": "0,1",
            "column-TOTAL_FORMS": 6,
            "column-INITIAL_FORMS": 6,
        }
        for nth, column in enumerate(imported.columns):
            data |= {f"column-{nth}-{name}": value for name, value in column.items()}
        self.assertContains(
            self.client.post(f"/exchange/in/{imported.pk}/", data | {"mark": ""}), "decimal mark", status_code=422
        )
        with self.captureOnCommitCallbacks():
            self.client.post(f"/exchange/in/{imported.pk}/", data)
        self.assertContains(self.client.get(f"/exchange/in/{imported.pk}/"), "Waits for the worker.")
        self.done(tasks.check_import, imported)
        page = self.client.get(f"/exchange/in/{imported.pk}/")
        for words in (
            "“Mill” is no place of your team.",
            "“soon” is no day with its whole year.",
            "chloride: “twelve” is no number.",
        ):
            self.assertContains(page, words)
        self.assertEqual((imported.told["rows"], imported.told["results"], imported.told["doubtful"]), (6, 5, 3))
        self.assertEqual(Result.objects.for_team(self.team).count(), 0)
        mend = f"/exchange/in/{imported.pk}/mend/"
        row = imported.doubtful.get(number=7)
        self.assertContains(
            self.client.post(mend, {"row": 7, "cell": row.cells}, follow=True), "“soon” is no day with its whole year."
        )
        self.client.post(mend, {"row": 7, "cell": [row.cells[0], "2.4.2019", *row.cells[2:]]})
        self.client.post(mend, {"row": 8, "leave": "yes"})
        services.import_file(self.ines, imported)
        self.done(tasks.write_import, imported)
        self.assertEqual((imported.told["written"], imported.told["left_out"]), (7, 2))
        self.assertEqual(
            self.results(),
            [
                ("05.03.09", "chloride", 28.0, "", "inside"), ("05.03.09", "nitrate", 1.2, "", "inside"),
                ("25.03.12", "chloride", 5.0, "<", "inside"), ("25.03.12", "nitrate", 0.1, "<", "inside"),
                ("01.04.09", "chloride", 200.0, ">", "outside"),
                ("02.04.11", "chloride", 28.0, "", "inside"), ("02.04.11", "nitrate", 1.0, "", "inside"),
            ],
        )  # fmt: skip
        first = Result.objects.for_team(self.team).order_by("taken_at", "parameter")[0]
        self.assertEqual(
            (first.low, first.high, first.form, first.visit.note, first.visit.review),
            (27.5, 28.5, "Cl", "clear", "new"),
        )
        self.assertContains(self.client.get(f"/log/{first.pk}/"), "28 in “old.csv”, row 3")
        self.assertContains(self.client.get("/log/?place="), "Ford")
        self.assertContains(self.client.get(f"/places/{self.ford.pk}/"), "chloride")
        self.assertIsNotNone(PlaceStatus.objects.for_team(self.team).get(place=self.ford).result)
        self.client.post(f"/exchange/in/{imported.pk}/undo/")
        self.done(tasks.undo_import, imported)
        self.assertEqual((imported.stage, imported.told["undone"]), ("undone", 7))
        for model in (Result, Sample, Visit):
            self.assertEqual(model.objects.for_team(self.team).count(), 0)

    def test_twice_is_harmless(self):
        imported = self.matched(self.brought())
        services.import_file(self.ines, imported)
        # Broken off after it had written, and done once more by another worker.
        self.done(tasks.write_import, imported)
        before = self.results()
        Import.objects.for_team(self.team).update(state="running", stage="writing")
        self.done(tasks.write_import, imported)
        self.assertEqual((self.results(), imported.told["written"]), (before, 5))
        self.assertContains(
            self.client.post("/exchange/in/file/", {"file": SimpleUploadedFile("b.csv", OLD.encode())}, follow=True),
            "This very file is here already",
        )
        # The same rows in another file.
        other = self.matched(self.brought(OLD + "\n"))
        services.import_file(self.ines, other)
        self.done(tasks.write_import, other)
        self.assertEqual((other.told["written"], other.told["there_already"]), (0, 5))
        self.assertEqual(self.results(), before)

    def test_what_was_measured_here_is_not_doubled_and_what_was_reviewed_is_not_undone(self):
        imported = self.matched(self.brought())
        services.import_file(self.ines, imported)
        self.done(tasks.write_import, imported)
        per = member(self.team, "Per", Role.TECHNICIAN)
        visit = Visit.objects.for_team(self.team).select_related("team").first()
        # Nobody here drew or tested it; who imported it had it in hand all the same.
        self.assertEqual({*visit.samples.values_list("drawn_by"), *visit.results.values_list("person")}, {(None,)})
        with self.assertRaises(NotAllowed):
            accept(self.ines, visit, seen="as begun")
        accept(per, visit, seen="as begun")
        with self.assertRaisesMessage(ValidationError, "can be undone no more"):
            services.undo(self.ines, imported)
        with self.assertRaises(NotAllowed):
            services.undo(per, imported)
        with self.assertRaises(NotAllowed):
            services.bring(member(self.team, "Olek"), self.team, SimpleUploadedFile("a.csv", b"Site,Date\nA,B"))

    def test_cancelled_under_way_leaves_nothing(self):
        imported = self.matched(self.brought())
        services.import_file(self.ines, imported)
        with (
            patch.object(tasks, "_BATCH", 1),
            patch.object(tasks.Writer, "finish", lambda _: cancel(self.ines, imported)),
        ):
            tasks.write_import(imported.pk)
        imported.refresh_from_db()
        self.assertEqual((imported.stage, imported.state, self.results()), ("mending", "cancelled", []))

    def test_a_failure_leaves_nothing(self):
        imported = self.matched(self.brought())
        services.import_file(self.ines, imported)
        with (
            patch.object(tasks, "_BATCH", 1),
            patch.object(tasks.Writer, "finish", side_effect=RuntimeError),
            self.assertRaises(RuntimeError),
        ):
            tasks.write_import(imported.pk)
        imported.refresh_from_db()
        self.assertEqual((imported.stage, imported.state, self.results()), ("mending", "failed", []))

    def test_what_stands_in_a_report_is_not_undone(self):
        imported = self.matched(self.brought())
        services.import_file(self.ines, imported)
        self.done(tasks.write_import, imported)
        report = issue(self.ines, self.team, "month", {"month": "2019-03", "place": self.ford.pk})
        self.assertTrue(report.results)
        with self.assertRaisesMessage(ValidationError, f"stand in {report}"):
            services.undo(self.ines, imported)
        self.assertEqual(self.client.get(f"/reports/{report.number}/").status_code, 200)
        # Whoever imported it neither drew nor tested it.
        sample = Sample.objects.for_team(self.team).earliest("drawn_at")
        certificate = issue(self.ines, self.team, "certificate", {"sample": str(sample.pk)})
        for words in ("taken over from another record", "in “old.csv”, row 3", "by a person not known here"):
            self.assertIn(words, certificate.body)
        for words in ("Ines<", "by Ines", "worked out</td>", "Tested with field kits"):
            self.assertNotIn(words, certificate.body)
        self.assertContains(self.client.get("/log/"), "as it was written")
        for page in (
            "/log/",
            reverse("samples:correct", args=[sample.pk]),
            f"/log/{sample.visit.results.first().pk}/",
            reverse("review:visit", args=[sample.visit_id]),
        ):
            answer = self.client.get(page)
            self.assertContains(answer, "a person not known here")
            # Nor did anybody compute how far it may be off.
            self.assertNotContains(answer, "19 times in 20")
        self.assertIn(
            "a person not known here", "".join(csv_pieces(Result.objects.for_team(self.team).newest_first(), UTC))
        )

    def test_columns_are_remembered(self):
        self.matched(self.brought())
        again = self.brought(OLD.replace("28", "29"))
        self.assertEqual(
            (again.reading["mark"], again.reading["order"], again.reading["found_from"]), (",", "dmy", "0,1")
        )

    def test_every_row_of_a_long_table_is_written(self):
        days = [f"Ford;2020-{1 + nth // 28:02}-{1 + nth % 28:02} 09:00;{20 + nth % 7}" for nth in range(250)]
        self.assertEqual(self.taken_in("Site;Date;Chloride (mg/L)", *days), {})
        self.assertEqual(len(self.results()), 250)

    def test_what_a_file_shows_counts_for_more_than_what_was_said_of_another(self):
        head = "Site;Date;Chloride (mg/L);Iron (mg/L)"
        self.matched(self.brought(f"{head}\nFord;5.6.2019;28;0,5"))
        # The same heads, another mark: never a thousand times as much.
        again = self.brought(f"{head}\nFord;5.6.2020;28;1.250\nFord;6.6.2020;28;0.125")
        # What may be the fifth of June or the sixth of May is asked again, whatever it was the last time.
        self.assertEqual((again.reading["mark"], again.reading["order"]), (".", ""))
        self.assertEqual(self.taken_in(head, "Ford;5.6.2021;28;0.125", mark=",").keys(), {2})

    def test_places_are_known_by_their_degrees(self):
        self.ford.latitude, self.ford.longitude = 54.4, -2.5
        self.ford.save()
        Place.objects.create(team=self.team, name="Weir", latitude=54.6, longitude=-2.5)
        Place.objects.create(team=self.team, name="Sluice", latitude=54.6, longitude=-2.5004)
        why = self.taken_in(
            "Lat,Lng,Date,pH",
            "54.4003,-2.5,2019-03-05,7.1",
            "54.6,-2.5002,2019-03-06,7.1",
            "54.7,-2.5,2019-03-07,7.1",
            "54.5,,2019-03-08,7.1",
            "154.5,-2.5,2019-03-09,7.1",
        )
        self.assertEqual([each.place for each in Result.objects.for_team(self.team)], [self.ford])
        for row, words in ((3, "Sluice and Weir"), (4, "no place of your team"), (5, "longitude"), (6, "no latitude")):
            self.assertIn(words, why.pop(row))
        self.assertEqual(why, {})
        # A name that lies elsewhere is doubtful.
        why = self.taken_in(
            "Site,Breitengrad,Längengrad,Date,pH", "Ford,54.405,-2.5,2020-03-05,7.1", "Ford,54.5,-2.5,2020-03-06,7.1"
        )
        self.assertEqual(why, {3: "“Ford” lies 11.1 km from 54.5, -2.5."})

    def test_what_was_not_detected_lies_below_its_columns_own_number(self):
        imported = self.brought("Site;Date;Iron (mg/L);Ammonium-N (mg/L)\nFord;2019-03-05;n.d.;n.d.")
        imported.columns[2]["found_from"] = "0.05"
        self.assertEqual(self.matched(imported, mark=".", found_from="").told["doubtful"], 1)
        services.import_file(self.ines, self.matched(imported, mark=".", found_from="0.2"))
        self.done(tasks.write_import, imported)
        kept = Result.objects.for_team(self.team).order_by("value").values_list("parameter", "censor", "value")
        self.assertEqual(list(kept), [("iron", "<", 0.05), ("ammonia", "<", 0.2)])
        with self.assertRaisesMessage(ValidationError, "“little” is no number"):
            self.matched(self.brought("Site;Date;pH\nFord;2019-03-06;7"), found_from="little")

    def test_units_that_are_not_known_are_doubtful_and_never_another(self):
        why = self.taken_in(
            "Site;Date;Test;Value;Unit;Low;High",
            "Ford;2019-03-05;conductivity;0.52;mS;;",
            "Ford;2019-03-06;conductivity;0.52;mS/cm;;",
            "Ford;2019-03-07;conductivity;520;;;",
            "Ford;2019-03-08;chloride;30 mmol;mg/L;;",
            "Ford;2019-03-09;chloride;30;mg/L;90;10",
            "Ford;2019-03-10;chloride;30;mg/L;28;33",
        )
        self.assertEqual(list(why), [2, 4, 5, 6])
        self.assertIn("“mS” is no unit that Kessa knows.", why[2])
        self.assertIn("are not on either side of it", why[6])
        kept = [(each.value, each.unit) for each in Result.objects.for_team(self.team).order_by("taken_at")]
        self.assertEqual(kept, [(520.0, "uS/cm"), (30.0, "mg/L")])

    def test_remarks_of_all_rows_are_kept_and_one_test_twice_is_doubtful(self):
        why = self.taken_in(
            "Site;Date;Test;Value;Unit;As;Remarks",
            "Ford;2019-03-05;chloride;28;mg/L;;bottle broken, from the second one",
            "Ford;2019-03-05;nitrate;5;mg/L;N;",
            "Ford;2019-03-05;nitrate;22.1;mg/L;NO3;thawing",
            "Ford;2019-03-05;sulfate;12;mg/L;;clear",
        )
        self.assertEqual(list(why), [4])
        self.assertIn("it stands here already", why[4])
        self.assertEqual(Visit.objects.for_team(self.team).get().note, "bottle broken, from the second one; clear")
        first = Result.objects.for_team(self.team).order_by("parameter").first()
        self.assertContains(self.client.get(f"/log/{first.pk}/"), "No time of day stands with it: noon is kept for it.")

    def test_offsets_count_and_hours_that_were_not_are_doubtful(self):
        why = self.taken_in(
            "Site;Date;Chloride (mg/L)",
            "Ford;2019-07-01 10:00Z;21",
            "Ford;2019-07-02 10:00+05:00;22",
            "Ford;2019-07-03 10:00 -0700;23",
            "Ford;2019-07-04 10:00:05;24",
            "Ford;2019-03-31 01:30;25",
        )
        self.assertIn("skipped by the clocks of Europe/London", why[6])
        rows = Result.objects.for_team(self.team).order_by("value").values_list("taken_at", flat=True)
        self.assertEqual(
            [f"{at:%d %H:%M:%S}" for at in rows], ["01 10:00:00", "02 05:00:00", "03 17:00:00", "04 09:00:05"]
        )

    def test_a_number_of_a_workbook_has_its_point_whatever_the_mark_of_its_text(self):
        book = Workbook()
        for row in (
            ["Site", "Date", "Iron (mg/L)"],
            ["Ford", datetime(2019, 3, 5, 9, 40, 5), 1.045],
            ["Ford", datetime(2019, 3, 5, 9, 40, 45), "1,05"],
        ):
            book.active.append(row)
        out = io.BytesIO()
        book.save(out)
        imported = self.brought(name="old.xlsx", content=out.getvalue())
        self.assertEqual(imported.reading["mark"], ",")
        self.assertNotContains(self.client.get(f"/exchange/in/{imported.pk}/"), "=1.045")
        services.import_file(self.ines, self.matched(imported, found_from=""))
        self.done(tasks.write_import, imported)
        rows = Result.objects.for_team(self.team).order_by("taken_at")
        self.assertEqual([(f"{each.taken_at:%S}", each.value) for each in rows], [("05", 1.045), ("45", 1.05)])
        self.assertContains(self.client.get(f"/log/{rows[0].pk}/"), "1.045 in “old.xlsx”, row 2")

    def test_the_table_is_pointed_at_by_its_sheet_and_two_rows_of_heads(self):
        book = Workbook()
        book.active.append(["Cover", "nothing here", "2 years", "of it"])
        years = book.create_sheet("2023")
        for row in (
            ["Brook notebook"],
            ["", "", "Field", "", "Laboratory"],
            ["Site", "Date", "pH", "Temperature °C", "Chloride mg/L"],
            ["Ford", "2023-03-05 10:00", 7.4, 8.5, 28],
            [],
            ["Ford", "2023-04-05 10:00", 7.5, 9.5, 29],
        ):
            years.append(row)
        out = io.BytesIO()
        book.save(out)
        imported = self.brought(name="old.xlsx", content=out.getvalue())
        page = f"/exchange/in/{imported.pk}/"
        self.assertContains(self.client.get(page), '<option value="2023">2023</option>', html=True)
        self.client.post(f"{page}table/", {"sheet": "2023", "head": "2-3"})
        self.done(tasks.look_for_table, imported, "2023", "2-3")
        self.assertEqual(imported.head[2:], ["Field pH", "Field Temperature °C", "Laboratory Chloride mg/L"])
        self.assertContains(self.client.get(page), "rows 2 and 3")
        # A sheet that is none, a row that is none: said, and nothing changes.
        for sheet, head in (("2024", ""), ("2023", "1"), ("2023", "99"), ("2023", "x")):
            self.client.post(f"{page}table/", {"sheet": sheet, "head": head})
            if self.latest().under_way:
                tasks.look_for_table(imported.pk, sheet, head)
                self.assertContains(self.client.get(page), "no table with a head")
            self.assertEqual(Import.objects.for_team(self.team).get().reading["head"], "2-3")
        services.import_file(self.ines, self.matched(imported, mark=".", found_from=""))
        self.done(tasks.write_import, imported)
        self.assertEqual((imported.told["rows"], imported.told["written"], imported.told["doubtful"]), (2, 6, 0))

    def test_a_workbook_in_a_long_form(self):
        book = Workbook()
        for row in (
            ["Location", "Sampled", "Parameter", "Result", "Unit", "as"],
            ["Ford", "2019-03-05 09:40", "Chloride", 28, "mg/L", None],
            ["Ford", "2019-03-05 09:40", "nitrate", "5.0", "mg/L", "NO3"],
            ["Ford", "2019-03-05 09:40", "nitrate", 5.0, "mg/L", None],
            ["Ford", "2019-03-05 09:40", "phosphate", 200, "µg/L", "PO4"],
            ["Ford", "2019-03-05 09:40", "temperature", 50, "°F", None],
            ["Ford", "2019-03-05 09:40", "pH", 17.2, None, None],
            ["Ford", "2019-03-05 09:40", "mystery", 1, "mg/L", None],
        ):
            book.active.append(row)
        out = io.BytesIO()
        book.save(out)
        imported = self.matched(
            self.brought(name="old.xlsx", content=out.getvalue()), mark=".", order="dmy", found_from=""
        )
        why = {row.number: " ".join(row.why) for row in imported.doubtful.all()}
        self.assertEqual(set(why), {4, 7, 8})
        self.assertIn("as what is it written?", why[4])
        self.assertIn("can hardly be in such water", why[7])
        self.assertIn("no test that Kessa knows", why[8])
        services.import_file(self.ines, imported)
        self.done(tasks.write_import, imported)
        kept = {each.parameter: (each.value, each.unit, each.form) for each in Result.objects.for_team(self.team)}
        self.assertEqual(kept["phosphate"], (0.2, "mg/L", "PO4"))
        self.assertEqual(kept["temperature"], (10.0, "degC", ""))
        self.assertEqual(kept["nitrate"], (5.0, "mg/L", "NO3"))

    def test_a_data_package_of_another_team(self):
        ulf, theirs = team_of("Ulf")
        theirs.name = "Ford"
        theirs.save()
        result = measured(theirs, ulf, 7, 7, days_ago=3)
        work = ask_for_export(ulf, ulf.team, "zip")
        write_export(work.pk)
        work.refresh_from_db()
        imported = self.matched(
            self.brought(name="package.zip", content=work.file.read()), mark=".", order="dmy", found_from=""
        )
        self.assertEqual((imported.told["results"], imported.told["doubtful"]), (1, 0))
        services.import_file(self.ines, imported)
        self.done(tasks.write_import, imported)
        mine = Result.objects.for_team(self.team).get()
        alike = ("value", "low", "high", "unit", "form", "parameter", "verdict")
        self.assertEqual([getattr(mine, name) for name in alike], [getattr(result, name) for name in alike])
        self.assertLess(abs((mine.taken_at - result.taken_at).total_seconds()), 1)

    def latest(self):
        return Import.objects.for_team(self.team).latest("pk")

    def refused(self, content):
        self.client.post("/exchange/in/file/", {"file": SimpleUploadedFile("x.csv", content)})
        tasks.look_for_table(self.latest().pk, "", "")
        return self.latest().fault

    def test_what_would_eat_memory_or_time_ends_with_a_sentence(self):
        spaces = packed({"datapackage.json": b" " * 200_000_000})
        sheet = b"<worksheet><sheetData><row><c t='inlineStr'><is><t>" + b"x" * 200_000_000
        strings = b"<sst>" + b"<si><t>x</t></si>" * 2_000_000 + b"</sst>"
        workbook = io.BytesIO()
        Workbook().save(workbook)
        for name, content in (
            ("a package's description", spaces),
            ("a cell", packed({"xl/worksheets/sheet1.xml": sheet}, workbook)),
            ("texts, by another name", packed({"xl/other.xml": strings, **SHARED}, workbook)),
        ):
            with self.subTest(name), patch.object(tables, "_LOOKING", 3):
                self.assertLess(len(content), 1_000_000)
                self.assertIn("takes more time or memory", self.refused(content))

    def test_what_is_no_table_is_told(self):
        odd = (packed({"datapackage.json": b"[1]"}), packed({"datapackage.json": b"[" * 100_000}), packed({"x": b""}))
        for content in (b"", b"\x00\x01\x02\x03" * 50, b"PK\x03\x04 broken", b"one column\n1\n", b"\xff\xfe\x00", *odd):
            with self.subTest(content[:8]):
                self.assertRegex(self.refused(content or b" "), "cannot be read as a table|no table with a head")
        # The same again is looked at again.
        self.assertIn("cannot be read as a table", self.refused(b"PK\x03\x04 broken"))
        self.assertIn("Bring another file", self.client.get(f"/exchange/in/{self.latest().pk}/").content.decode())
        self.assertEqual(self.client.get("/exchange/in/").status_code, 200)
        head, *rows = rows_in(io.BytesIO("Site\tDate\tpH\nFord\t2019-01-02\t7,1\n".encode("utf-16")), "x.csv")
        self.assertEqual(guess(head[1], [row for _, row in rows])[1]["mark"], ",")


class NothingGuessed(ImportTest):
    """What a file does not say is asked, or said to be missing; what it says is kept whole."""

    head = "Site;Date;Chloride (mg/L)"

    def kept(self, *names):
        rows = Result.objects.for_team(self.team).order_by("taken_at", "parameter")
        return list(rows.values_list(*names))

    def test_what_the_first_rows_do_not_show_is_asked_when_it_comes(self):
        plain = [f"Ford;2020-{1 + nth // 28:02}-{1 + nth % 28:02} 09:00;{nth % 50}" for nth in range(230)]
        for line, fault in (
            ("Ford;2021-01-01 09:00;1,234", "Say what the decimal mark is: “1,234” may be read either way."),
            ("Ford;04/05/2021 09:00;28", "Say in which order day, month and year stand: “04/05/2021 09:00” may"),
        ):
            imported = self.brought("\n".join([self.head, *plain, line]))
            given = {"mark": imported.reading["mark"], "order": imported.reading["order"], "place": ""}
            self.assertEqual((given["mark"], given["order"]), (".", "dmy"))
            services.match(self.ines, imported, imported.columns, given)
            tasks.check_import(imported.pk)
            imported.refresh_from_db()
            self.assertEqual((imported.stage, fault in imported.fault), ("matching", True), imported.fault)
            with self.assertRaisesMessage(ValidationError, fault[:20]):
                services.match(self.ines, imported, imported.columns, {**given, **imported.reading})
            # Once it is said it is said.
            services.match(self.ines, imported, imported.columns, given)
            self.assertEqual(self.done(tasks.check_import, imported).told["results"], 231)
        # One number that can be read in one way only shows it for all.
        imported = self.brought("\n".join([self.head, *plain, "Ford;2021-01-01 09:00;1,234", "Ford;2021-01-02;0.5"]))
        services.match(self.ines, imported, imported.columns, {"mark": ".", "order": "dmy", "place": ""})
        self.assertEqual(self.done(tasks.check_import, imported).told["results"], 232)

    def test_ends_are_those_of_the_column_before_them(self):
        head = f"{self.head};Low;High;Nitrate (mg/L as NO3)"
        why = self.taken_in(head, "Ford;2019-03-05;28;20;40;30", "Ford;2019-03-06;28;;40;30", "Ford;2019-03-07;28;-;;3")
        self.assertEqual(why, {3: "chloride: an upper end stands with it, and no lower one."})
        first = [row[1:] for row in self.kept("taken_at", "parameter", "low", "high")[:2]]
        self.assertEqual(first, [("chloride", 20, 40), ("nitrate", 29.5, 30.5)])
        for columns in ("Low;Chloride (mg/L);Nitrate (mg/L as N)", "Chloride (mg/L);Low;Low;pH"):
            with self.assertRaisesMessage(ValidationError, "one of each"):
                self.matched(self.brought(f"Site;Date;{columns}\nFord;2019-03-05;1;2;3;4"), mark=".", found_from="")

    def test_every_row_is_accounted_for(self):
        lines = [
            f"{self.head};Remark;Comment", "Ford;2019-03-05;28;clear;cold", "Ford;2019-03-06;;frozen;",
            "Ford;soon;33;;", "Ford;2019-03-08;31;;", "Ford;never;1;;",
        ]  # fmt: skip
        imported = self.matched(self.brought("\n".join(lines)), mark=".", found_from="")
        self.assertEqual((imported.told["without"], imported.told["first_without"]), (1, [3]))
        # Mended, it says what another row says: neither is dropped without a word.
        services.mend(self.ines, imported, 4, ["Ford", "2019-03-08", "33"])
        services.import_file(self.ines, imported)
        tasks.write_import(imported.pk)
        imported.refresh_from_db()
        self.assertEqual((imported.stage, self.results()), ("mending", []))
        self.assertIn("say what others say already", imported.fault)
        services.mend(self.ines, imported, 5, ["Ford", "2019-03-09", "31"])
        services.import_file(self.ines, imported)
        self.done(tasks.write_import, imported)
        told = imported.told
        self.assertEqual((told["rows"], told["written"], told["left_out"], told["without"]), (5, 3, 1, 1))
        self.assertEqual(Visit.objects.for_team(self.team).earliest("started_at").note, "clear; cold")
        page = f"/exchange/in/{imported.pk}/"
        for words in ("Rows without a result", "Rows left out, and why", "“never” is no day with its whole year."):
            self.assertContains(self.client.get(page), words)
        table = b"".join(self.client.get(f"{page}left-out.csv")).decode()
        self.assertIn("6,“never” is no day with its whole year.,Ford,never,1", table)

    def test_remarks_of_one_sample_far_apart_are_kept(self):
        rows = ["Ford;2019-03-05;Chloride;28;mg/L;clear", "Ford;2019-03-05;Sulfate;10;mg/L;BOTTLE BROKEN"]
        with patch.object(tasks, "_BATCH", 1):
            self.taken_in("Site;Date;Test;Value;Unit;Remark", *rows)
        self.assertEqual(Visit.objects.for_team(self.team).get().note, "clear; BOTTLE BROKEN")

    def test_tables_as_they_come(self):
        comma = "Results of the school\n\nSite,Date,Chloride (mg/L)\nFord,2019-03-05,28.5\n"
        self.assertEqual(self.brought(comma).head, ["Site", "Date", "Chloride (mg/L)"])
        book = Workbook()
        for row in (["Site", "Date", "Chloride (mg/L)"], ["Ford", "2019-03-05", "=2*14"], ["Ford", "2019-03-06", 14]):
            book.active.append([*row, *[None] * 300])
        out = io.BytesIO()
        book.save(out)
        imported = self.matched(self.brought(name="a.xlsx", content=out.getvalue()), mark=".", found_from="")
        self.assertEqual([(row.number, "2*14" in row.why[0]) for row in imported.doubtful.all()], [(2, True)])
        self.client.post(
            "/exchange/in/file/", {"file": SimpleUploadedFile("w.csv", ";".join(f"x{n}" for n in range(160)).encode())}
        )
        tasks.look_for_table(self.latest().pk, "", "")
        self.assertIn("more than 150 columns", self.latest().fault)
        # Names may begin with an apostrophe, and differ in their capitals alone.
        for name in ("'t Hof", "ford"):
            Place.objects.create(team=self.team, name=name)
        why = self.taken_in(
            self.head, "'t Hof;2019-03-05;28", "ford;2019-03-05;29", "FORD;2019-03-06;30", "'t hof;2019-03-07;'31;stray"
        )
        self.assertEqual(why, {4: "“FORD” is no place of your team."})
        self.assertEqual(self.kept("place__name", "value"), [("'t Hof", 28), ("ford", 29), ("'t Hof", 31)])

    def latest(self):
        return Import.objects.for_team(self.team).latest("pk")

    def test_what_rows_call_a_test_is_said_once_for_all_of_them(self):
        lines = ["Site;Date;Test;Value;Unit", "Ford;2019-03-05;Nitrat;5;mg/L", "Ford;2019-03-05;Fe-ges;n.d.;mg/L"]
        imported = self.matched(self.brought("\n".join(lines)), mark=".", found_from="")
        self.assertEqual(imported.told["doubtful"], 2)
        page = f"/exchange/in/{imported.pk}/"
        self.assertContains(self.client.get(f"{page}?columns=yes"), "Fe-ges: Parameter")
        data = {"mark": ".", "order": "dmy", "place": "", "found_from": "", "column-TOTAL_FORMS": 5,
                "column-INITIAL_FORMS": 5, "test-TOTAL_FORMS": 2, "test-INITIAL_FORMS": 2}  # fmt: skip
        for nth, column in enumerate(imported.columns):
            data |= {f"column-{nth}-{name}": value for name, value in column.items()}
        data |= {
            "test-0-parameter": "nitrate",
            "test-0-form": "N",
            "test-1-parameter": "iron",
            "test-1-found_from": "0.05",
        }
        self.client.post(f"{page}?columns=yes", data)
        services.import_file(self.ines, self.done(tasks.check_import, imported))
        self.done(tasks.write_import, imported)
        self.assertEqual(
            self.kept("parameter", "censor", "value", "form"), [("iron", "<", 0.05, "Fe"), ("nitrate", "", 5, "N")]
        )
        # The next file of the kind is read alike, but for its place.
        again = self.brought("\n".join(lines).replace("2019", "2020"))
        self.assertEqual(again.reading["tests"]["fe-ges"]["parameter"], "iron")
        self.ford.refresh_from_db()
        services.match(self.ines, again, again.columns, {**again.reading, "place": str(self.ford.pk)})
        self.assertEqual(self.brought("\n".join(lines).replace("2019", "2021")).reading["place"], "")

    def test_as_what_amounts_are_written_is_asked_where_it_matters(self):
        for head, asked in (("Alkalinity (mg/L)", True), ("Hardness (mmol/L)", True), ("Hardness °dH", False)):
            imported = self.brought(f"Site;Date;{head}\nFord;2019-03-05;5")
            faults = Reader(self.team, imported.columns, {"mark": ".", "order": "dmy"}).faults()
            self.assertEqual([each for each in faults if "as what it is written" in each] != [], asked, head)

    def test_germs_are_there_or_not(self):
        head = "Site;Date;E. coli (CFU/100 mL);Total coliforms"
        why = self.taken_in(head, "Ford;2019-03-05;12;present", "Ford;2019-03-06;0;n.d.", "Ford;2019-03-07;<1;-2")
        self.assertEqual(list(why), [4])
        self.assertEqual(self.kept("value", "unit"), [(1, "presence")] * 2 + [(0, "presence")] * 2)

    def test_a_time_that_nobody_wrote_is_not_shown_anywhere(self):
        self.taken_in(self.head, "Ford;2019-03-05;28", "Ford;2019-03-06 09:40;0")
        self.assertEqual(self.kept("time_known", "tested_at", "low"), [(False, None, 27.5), (True, None, 0)])
        first = Result.objects.for_team(self.team).earliest("taken_at")
        sample = first.sample
        certificate = issue(self.ines, self.team, "certificate", {"sample": str(sample.pk)}).body
        pages = [self.client.get(each).content.decode() for each in (
            "/log/", f"/log/{first.pk}/", f"/review/{first.visit_id}/", f"/places/{self.ford.pk}/", "/review/",
        )]  # fmt: skip
        table = "".join(csv_pieces(Result.objects.for_team(self.team).newest_first(), UTC))
        for text in (certificate, *pages, table):
            self.assertNotRegex(text, r"12[:.]00")
        self.assertIn("5 March 2019, time not known", certificate)
        self.assertIn("2019-03-06T09:40", table)
        # Nor does it get digits that it had not.
        self.assertRegex(pages[0], r">28</b> mg/L")
        # What was imported is not put right one by one: what hangs on it would not follow.
        with self.assertRaisesMessage(ValidationError, "was imported"):
            correct_sample(self.ines, sample, {"drawn_at": first.taken_at}, why="slip")

    def test_limits_see_the_other_results_of_the_sample(self):
        head = "Site;Date;Test;Value;Unit;As"
        rows = ["Ford;2019-03-05;ammonia;2;mg/L;N", "Ford;2019-03-05;temperature;25;°C;", "Ford;2019-03-05;pH;9;;"]
        with patch.object(tasks, "_BATCH", 1):
            self.taken_in(head, *rows)
        found = Result.objects.for_team(self.team).get(parameter="ammonia")
        self.assertEqual(found.verdict, "outside")
        self.assertEqual(found.not_judged, [])

    def test_cancelled_before_it_began_it_is_as_it_was(self):
        imported = self.matched(self.brought())
        services.import_file(self.ines, imported)
        with self.captureOnCommitCallbacks():
            self.client.post(f"/exchange/in/{imported.pk}/cancel/")
        tasks.write_import(imported.pk)
        tasks.put_back(imported.pk)
        self.assertContains(self.client.get(f"/exchange/in/{imported.pk}/"), "Take it in, without the doubtful rows")

    def test_what_a_dead_worker_left_is_taken_up_and_leaves_nothing_twice(self):
        imported = self.matched(self.brought())
        services.import_file(self.ines, imported)
        with (
            patch.object(tasks, "_BATCH", 1),
            patch.object(tasks.Writer, "finish", side_effect=SystemExit),
            self.assertRaises(SystemExit),
        ):
            tasks.write_import(imported.pk)
        self.assertEqual((self.latest().stage, len(self.results())), ("writing", 5))
        with connection.cursor() as cursor:
            cursor.execute("UPDATE procrastinate_jobs SET status = 'doing' WHERE task_name = 'exchange.write_import'")
        async_to_sync(take_up.func)(SimpleNamespace(app=app), 0)
        job = ProcrastinateJob.objects.get(task_name="exchange.write_import")
        self.assertEqual((job.status, job.lock), ("todo", f"import {self.team.pk}"))
        self.done(tasks.write_import, imported)
        self.assertEqual((imported.told["written"], len(self.results())), (5, 5))
