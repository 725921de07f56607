"""The record given out whole and as it is filtered, and read back."""

import csv
import io
import json
import tempfile
import zipfile
from datetime import UTC
from itertools import chain
from pathlib import Path
from unittest.mock import patch

from django.conf import settings
from django.core.exceptions import ValidationError
from django.db import connection, connections, transaction
from django.test import TransactionTestCase, override_settings
from django.test.utils import CaptureQueriesContext
from django.utils import timezone
from django.utils.dateparse import parse_datetime
from frictionless import Package
from openpyxl import load_workbook

from kessa.record.exports import resources as exchange_nouns
from kessa.record.exports.models import Export
from kessa.record.exports.moment import Moment
from kessa.record.exports.resources import resources, rows_of
from kessa.record.exports.services import ask_for_export
from kessa.record.exports.tasks import clear_old, write_export
from kessa.record.long_work import progress
from kessa.record.long_work.services import cancel
from kessa.record.people.acts import NotAllowed
from kessa.record.places.models import Pair, Place
from kessa.record.places.services import keep_pair
from kessa.record.results.export import csv_pieces
from kessa.record.results.models import Mark, Result
from kessa.record.testing.exclusions import exclude
from tests.app.everything import one_of_each
from tests.app.pages import PageTest
from tests.world import measured, member, team_of

_READ = {"number": float, "integer": int, "boolean": "true".__eq__, "object": json.loads, "array": json.loads}


@override_settings(MEDIA_ROOT="/tmp/kessa-test-files")
class GivenOut(PageTest):
    def setUp(self):
        self.ines, self.place = team_of("Ines")
        self.team = self.ines.team
        self.olek = member(self.team, "Olek")
        one_of_each(self.ines, self.place)
        exclude(self.ines, measured(self.place, self.olek, 7, 7), why="=1+1 the wrong bottle")
        _, theirs = team_of("Ulf")
        self.theirs = measured(theirs, member(theirs.team, "Ulla"), 9, 9)

    def written(self, kind, filters="", by=None):
        with self.captureOnCommitCallbacks():
            work = ask_for_export(by or self.olek, self.team, kind, filters=filters, licence="CC-BY-4.0")
        write_export(work.pk)
        work.refresh_from_db()
        self.assertEqual((work.state, work.fault), ("done", ""))
        self.client.force_login(self.olek.user)
        return io.BytesIO(b"".join(self.client.get(f"/exchange/out/{work.pk}/").streaming_content))

    def test_a_data_package_reads_back_whole(self):
        with patch.object(exchange_nouns, "AT_ONCE", 2):
            package = zipfile.ZipFile(self.written("zip", by=self.ines))
        data = json.loads(package.read("datapackage.json"))
        self.assertEqual(data["licenses"][0]["name"], "CC-BY-4.0")
        self.assertEqual([each["name"] for each in data["resources"]], [noun.name for noun in resources()])
        ids = {}
        for resource, noun in zip(data["resources"], resources(), strict=True):
            fields = resource["schema"]["fields"]
            rows = list(csv.DictReader(io.StringIO(package.read(resource["path"]).decode())))
            kept = list(noun.rows(self.team, None).order_by("pk").values_list(*noun.paths))
            self.assertEqual(len(rows), len(kept), noun.name)
            self.assertTrue(rows, noun.name)
            ids[noun.name] = {row["id"] for row in rows}
            for row, stored in zip(rows, kept, strict=True):
                for field, value in zip(fields, stored, strict=True):
                    self.assertEqual(*self.alike(row[field["name"]], value, field["type"]), (noun.name, field["name"]))
        for resource in data["resources"]:
            for key in resource["schema"]["foreignKeys"]:
                rows = csv.DictReader(io.StringIO(package.read(resource["path"]).decode()))
                known = ids[key["reference"]["resource"] or resource["name"]] | {""}
                self.assertLessEqual({row[key["fields"][0]] for row in rows}, known)
        self.assertNotIn(str(self.theirs.pk), ids["results"])
        self.assertIn("'=1+1 the wrong bottle", package.read("data/marks.csv").decode())

    def test_packages_hold_what_they_name_however_they_are_narrowed(self):
        other = Place.objects.create(team=self.team, name="Above", limit_sets=["eu-2020"])
        keep_pair(self.ines, Pair(team=self.team, kind="stream", first=other, second=self.place))
        measured(other, self.olek, 30, 30)
        # One that stands no more, for one that is elsewhere.
        gone, instead = measured(self.place, self.olek, 8, 8), measured(other, self.olek, 30, 30)
        ended = {"flag": "superseded", "at": timezone.now(), "replaced_by": instead}
        Mark.objects.create(team=self.team, result=gone, **ended)
        for filters in ("", f"place={other.pk}", "verdict=inside", f"place={self.place.pk}&superseded=on"):
            with self.subTest(filters), tempfile.TemporaryDirectory() as folder:
                zipfile.ZipFile(self.written("zip", filters)).extractall(folder)
                report = Package(f"{folder}/datapackage.json").validate()
                self.assertTrue(report.valid, report.flatten(["title", "message"])[:3])
                rows = {
                    name: list(csv.DictReader(io.StringIO(Path(folder, "data", f"{name}.csv").read_text())))
                    for name in ("photographs", "marks", "results", "taps", "tests", "pairs")
                }
                self.assertTrue(all(Path(folder, "files", each["file"]).is_file() for each in rows["photographs"]))
        # Of the last: one place of a pair is no pair.
        self.assertTrue(rows["photographs"] and rows["taps"] and rows["tests"] and not rows["pairs"])
        marks = [(each["flag"], each["replaced_by"]) for each in rows["marks"] if each["result"] == str(gone.pk)]
        self.assertIn(("superseded", ""), marks)

    def test_acts_are_for_coordinators(self):
        self.assertIn(b'"noun": "acts"', self.written("jsonl", by=self.ines).read())
        self.assertNotIn(b'"noun": "acts"', self.written("jsonl").read())

    def alike(self, cell, value, kind):
        """A cell and a stored value as they are compared."""
        if value is None or cell == "":
            return cell, "" if value is None else value
        if kind == "datetime":
            return parse_datetime(cell), value
        if kind in _READ:
            return _READ[kind](cell), float(value) if kind == "number" else value
        return cell.removeprefix("'"), str(value).removeprefix("'")

    def test_a_workbook_has_a_sheet_for_each_noun(self):
        book = load_workbook(self.written("xlsx", by=self.ines))
        self.assertEqual(book.sheetnames, [noun.name for noun in resources()])
        head, *rows = book["results"].iter_rows(values_only=True)
        found = Result.objects.for_team(self.team).order_by("pk")
        self.assertEqual([row[head.index("value")] for row in rows], [each.value for each in found])

    def test_lines_and_the_map_as_filtered(self):
        lines = [json.loads(line) for line in self.written("jsonl", "verdict=inside")]
        data = {each["id"] for each in lines if each["noun"] == "results"}
        inside = Result.objects.for_team(self.team).current().filter(verdict="inside")
        self.assertEqual(data, {each.pk for each in inside})
        visits = {each["id"] for each in lines if each["noun"] == "visits"}
        self.assertEqual(visits, {str(each.visit_id) for each in inside})
        chart = json.load(self.written("geojson"))
        feature = next(each for each in chart["features"] if each["id"] == self.place.pk)
        self.assertEqual(feature["geometry"], {"type": "Point", "coordinates": [-2.5, 54.5]})
        self.assertEqual([each["parameter"] for each in feature["properties"]["results"]], ["nitrate"])

    def test_cancelled_broken_off_and_in_numbers(self):
        with self.captureOnCommitCallbacks():
            work = ask_for_export(self.ines, self.team, "zip")
            with self.assertRaises(NotAllowed):
                cancel(self.olek, work)
            for _ in range(2):
                ask_for_export(self.ines, self.team, "zip")
            with self.assertRaisesMessage(ValidationError, "wait for one of them"):
                ask_for_export(self.ines, self.team, "zip")
        tell = progress.progress(work)
        self.assertTrue(progress.begin(work, 100))
        tell(40)
        cancel(self.ines, work)
        with self.assertRaises(progress.Stopped):
            tell(1)
        write_export(work.pk)
        work.refresh_from_db()
        self.assertEqual((work.state, work.done, work.file.name), ("cancelled", 40, ""))
        with self.assertRaisesMessage(ValidationError, "ended already"):
            cancel(self.ines, work)

    def test_the_page_and_files_that_are_old(self):
        self.client.force_login(self.olek.user)
        self.assertContains(self.client.get("/exchange/out/?verdict=inside"), "Only what is filtered in the log")
        with self.captureOnCommitCallbacks():
            page = self.client.post("/exchange/out/", {"format": "zip", "licence": ""}, follow=True)
        self.assertContains(page, "waits for the worker")
        self.assertEqual(self.client.post("/exchange/out/", {"format": "exe"}).status_code, 422)
        work = Export.objects.for_team(self.team).latest("pk")
        write_export(work.pk)
        self.assertContains(self.client.get("/exchange/out/", headers={"HX-Request": "true"}), "rows,")
        Export.objects.for_team(self.team).update(ended_at="2020-01-01T00:00Z")
        clear_old(0)
        self.assertRedirects(self.client.get(f"/exchange/out/{work.pk}/"), "/exchange/out/")
        self.assertContains(self.client.get("/exchange/out/"), "removed after a week")

    def test_what_belongs_to_some_results_is_looked_for_once_however_many_pieces_there_are(self):
        measured(self.place, self.olek, 5, 5, days_ago=1)
        results = Result.objects.for_team(self.team).current()
        looked, given = [], []
        for at_once in (1, 1000):
            with Moment() as moment, CaptureQueriesContext(connection) as read:
                with patch.object(exchange_nouns, "AT_ONCE", at_once):
                    pieces = [rows_of(noun, self.team, results, moment) for noun in resources() if noun.joins]
                    given.append([list(chain.from_iterable(each)) for each in pieces])
                looked.append(sum(" IN (SELECT" in each["sql"] for each in read))
        self.assertEqual(given[0], given[1])
        self.assertEqual(looked[0], looked[1])
        self.assertGreater(max(map(len, given[0])), 9)


class OfOneMoment(TransactionTestCase):
    def test_what_comes_in_meanwhile_is_not_in_it(self):
        ines, place = team_of("Ines")
        with Moment() as moment:
            Place.objects.create(team=ines.team, name="New meanwhile")
            for _ in range(2):
                with moment.reading():
                    self.assertEqual(list(Place.objects.for_team(ines.team)), [place])
            self.assertEqual(Place.objects.for_team(ines.team).count(), 2)

    def test_files_are_read_from_a_replica_once_it_has_all_there_is(self):
        ines, place = team_of("Ines")
        measured(place, ines, 11, 12)
        results = Result.objects.for_team(ines.team).newest_first()
        with (
            patch.dict(settings.DATABASES, replica=dict(connection.settings_dict)),
            patch.object(OfOneMoment, "databases", {"default", "replica"}),
            self.settings(DATABASE_ROUTERS=["kessa.record.replica.Router"]),
        ):
            replica = connections["replica"]
            for has_all in (True, False):
                with (
                    self.subTest(has_all=has_all),
                    patch("kessa.record.replica._has", return_value=has_all),
                    patch("kessa.record.replica._WAIT_S", 0),
                    CaptureQueriesContext(replica) as read,
                ):
                    self.assertIn(place.name, "".join(csv_pieces(results, UTC)))
                    with Moment() as moment, moment.reading():
                        self.assertEqual(list(Place.objects.for_team(ines.team)), [place])
                    told = " ".join(each["sql"] for each in read)
                    self.assertEqual(('FROM "log_result"' in told, 'FROM "places_place"' in told), (has_all, has_all))
                    self.assertNotIn("INSERT", told)
            with CaptureQueriesContext(replica) as read, transaction.atomic():
                "".join(csv_pieces(results, UTC))
            self.assertFalse(read.captured_queries)
            replica.close()
            del connections["replica"]
