"""A team as a whole: out, erased, in again, row by row the same; others stay as they are, and so do their numbers."""

import io
import json
import zipfile
from pathlib import Path

from django.core.management import CommandError, call_command
from django.db import connection
from django.db.models import AutoField
from django.test import TestCase, override_settings

from kessa.record.actions.models import Action
from kessa.record.archive.archive import digest, erase_team, read_team, rows_of_team, write_team
from kessa.record.archive.references import owned, renamed
from kessa.record.people.models import Act, Team, User
from kessa.record.photographs.models import Photograph
from kessa.record.places.models import Place
from kessa.record.results.history import held_at
from kessa.record.results.models import Result
from kessa.record.taps.models import Tap
from tests.app.everything import one_of_each
from tests.world import measured, member, read, team_of


def begin_numbers_anew():
    """As in another installation, where other rows have the numbers that a team's had."""
    with connection.cursor() as cursor:
        for model in (*owned(), Team, User):
            if isinstance(model._meta.pk, AutoField):
                table, column = model._meta.db_table, model._meta.pk.column
                cursor.execute("SELECT setval(pg_get_serial_sequence(%s, %s), 1, false)", [f'"{table}"', column])


def kept(team):
    """Every row of a team, by table."""
    return {model._meta.label_lower: list(rows.order_by("pk").values()) for model, rows in rows_of_team(team)}


def changed(archive, name, change):
    """An archive whose first row of a table says something else; or one of its files does."""
    out = io.BytesIO()
    with zipfile.ZipFile(archive) as old, zipfile.ZipFile(out, "w") as new:
        for each in old.namelist():
            lines = old.read(each).splitlines(keepends=True)
            if each == name:
                first = json.loads(lines[0]) | change if isinstance(change, dict) else change
                lines[0] = json.dumps(first).encode() + b"\n"
            new.writestr(each, b"".join(lines))
    out.seek(0)
    return out


@override_settings(MEDIA_ROOT="/tmp/kessa-test-files")
class Moving(TestCase):
    def setUp(self):
        self.ines, self.place = team_of("Ines")
        self.team = self.ines.team
        self.olek = member(self.team, "Olek")
        one_of_each(self.ines, self.place)
        well = Place.objects.create(
            team=self.team, name="Well", kind_key="well", feeds=["people"], limit_sets=["eu-2020"]
        )
        read(well, self.olek, "nitrate-photometer", 7.5, 7.5, dilution=4)
        measured(self.place, self.olek, 30, 30)
        self.assertTrue(Action.objects.for_team(self.team).exists())

    def archive(self):
        out = io.BytesIO()
        write_team(self.team, out)
        out.seek(0)
        return out

    def test_out_erased_and_in_again_row_by_row(self):
        ulf, theirs = team_of("Ulf")
        measured(theirs, ulf, 9, 9)
        others, before, people = (
            kept(ulf.team),
            kept(self.team),
            User.objects.filter(memberships__team=self.team).values_list("pk", "username"),
        )
        people = sorted(people)
        archive = self.archive()
        erase_team(self.team)
        self.assertFalse(Team.objects.filter(pk=self.team.pk).exists())
        self.assertEqual({name for name, rows in kept(self.team).items() if rows}, set())
        self.assertFalse(User.objects.filter(username__in=["ines", "olek"]).exists())
        self.assertEqual(kept(ulf.team), others)
        again = read_team(archive)
        self.assertEqual(again.pk, self.team.pk)
        self.maxDiff = None
        after = kept(again)
        for name, rows in before.items():
            self.assertEqual(after[name], rows, name)
        self.assertEqual(sorted(User.objects.filter(memberships__team=again).values_list("pk", "username")), people)
        self.assertEqual(kept(ulf.team), others)
        # And it goes on: numbers come after those that are there.
        measured(
            Place.objects.for_team(again).get(pk=self.place.pk), again.memberships.get(user__username="olek"), 7, 7
        )

    def test_an_archive_of_an_older_release_is_read(self):
        # Before a column was, and a table by the name that it had.
        older, out = io.BytesIO(), zipfile.ZipFile(self.archive())
        with zipfile.ZipFile(older, "w") as archive:
            for name in out.namelist():
                lines, former = out.read(name), name
                if name == "rows/log.placestatus.jsonl":
                    former = "rows/log.standing.jsonl"
                    rows = [json.loads(line) for line in lines.splitlines()]
                    for row in rows:
                        del row["held"]
                    lines = b"".join(json.dumps(row).encode() + b"\n" for row in rows)
                if name == "team.json":
                    head = json.loads(lines)
                    head["columns"] = "as they were"
                    head["rows"]["log.standing"] = head["rows"].pop("log.placestatus")
                    lines = json.dumps(head).encode()
                archive.writestr(former, lines)
        erase_team(self.team)
        older.seek(0)
        again = read_team(older)
        self.assertEqual(Place.objects.for_team(again).get(name="Well").status.held, [])

    def test_beside_itself_by_other_numbers(self):
        # What has an id made by a browser is one of its kind anywhere.
        with self.assertRaisesMessage(CommandError, "are here already"):
            read_team(self.archive())

    def test_into_an_installation_whose_numbers_are_taken(self):
        archive = self.archive()
        results = [
            (each.parameter, each.value, str(each.place), each.verdict)
            for each in Result.objects.for_team(self.team).order_by("pk")
        ]
        proposed = list(Action.objects.for_team(self.team).order_by("pk").values_list("title", flat=True))
        before = digest(self.team)
        erase_team(self.team)
        begin_numbers_anew()
        ulf, theirs = team_of("Ulf")
        for _ in range(3):
            read(theirs, ulf, "nitrate-photometer", 20.0, 20.0)
        User.objects.create_user("olek")
        one_of_each(ulf, theirs)
        again = read_team(archive)
        self.assertNotEqual(again.pk, ulf.team_id)
        self.assertEqual(digest(again), before)
        self.assertNotEqual(digest(ulf.team), before)
        # What was done on a row is told of that row.
        act = Act.objects.for_team(again).filter(on_kind="place").first()
        self.assertEqual(Place.objects.for_team(again).get(pk=act.on_id).name, act.on_words)
        told = [
            (each.parameter, each.value, str(each.place), each.verdict)
            for each in Result.objects.for_team(again).order_by("pk")
        ]
        self.assertEqual(told, results)
        self.assertEqual(list(Action.objects.for_team(again).order_by("pk").values_list("title", flat=True)), proposed)
        for action in Action.objects.for_team(again).exclude(results=[]):
            self.assertEqual(
                Result.objects.for_team(again).filter(pk__in=action.results, place=action.place).count(),
                len(action.results),
            )
        # Who must not drink of the well is not told to by another's number.
        well = Place.objects.for_team(again).get(name="Well")
        self.assertEqual([Result.objects.for_team(again).get(pk=pk).place for pk in held_at(well)], [well])
        self.assertEqual(sorted(again.members.values_list("username", flat=True)), ["ines", "olek-2"])

    def test_what_names_anything_outside_of_it_is_refused_and_leaves_nothing(self):
        ulf, theirs = team_of("Ulf")
        one_of_each(ulf, theirs)
        result, photograph = measured(theirs, ulf, 9, 9), Photograph.objects.for_team(ulf.team).first()
        archive = self.archive()
        erase_team(self.team)
        before = {model: model._base_manager.count() for model in (*owned(), Team, User)}
        for table, column, value in (
            ("api.key", "membership_id", ulf.pk),
            ("api.key", "instrument_id", result.pk + 1000),
            ("log.result", "place_id", theirs.pk),
            ("log.result", "sample_id", str(result.determination.sample_id)),
            ("log.result", "person_id", ulf.user_id),
            ("actions.action", "results", [result.pk]),
            ("taps.tap", "data", {"by": ulf.user_id}),
            ("taps.tap", "data", {"lot": 10**9}),
            ("taps.tap", "data", {"shown": 10**9}),
            ("exchange.import", "reading", {"place": str(theirs.pk)}),
            ("visits.visit_people", "user_id", ulf.user_id),
            ("photographs.photograph", "image", photograph.image.name),
        ):
            with self.subTest(table, column=column):
                with self.assertRaisesMessage(CommandError, "does not hold it"):
                    read_team(changed(archive, f"rows/{table}.jsonl", {column: value}))
                self.assertEqual({model: model._base_manager.count() for model in before}, before)
        # What stands on a bottle is no number of a row.
        read_off = {"data": {"lot": "12345"}}
        self.assertEqual(renamed(Tap, read_off, self.fail), read_off)
        with self.assertRaisesMessage(CommandError, "not what was written"):
            read_team(changed(archive, "rows/log.result.jsonl", {"value": 0.001}))
        people = [each | {"is_superuser": True} for each in json.loads(zipfile.ZipFile(archive).read("people.json"))]
        read_team(changed(archive, "people.json", people))
        self.assertFalse(User.objects.filter(is_superuser=True).exists())

    def test_the_commands(self):
        given = io.StringIO()
        path = Path("/tmp/kessa-test-files/team.zip")
        path.write_bytes(b"")
        with self.assertRaises(FileExistsError):
            call_command("team_out", str(self.team.pk), path, stdout=given)
        with self.assertRaisesMessage(CommandError, "There are:"):
            call_command("team_out", "0", path, stdout=given)
        with self.assertRaisesMessage(CommandError, "this number and this name"):
            call_command("team_erase", str(self.team.pk), "Somebody else's")
