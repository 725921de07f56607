"""A team as a whole: out, erased, in again, row by row the same; others stay as they are, and so do their numbers."""

import io
import json
import zipfile
from pathlib import Path

from django.core.management import CommandError, call_command
from django.test import TestCase, override_settings

from kessa.record.actions.models import Action
from kessa.record.archive.archive import erase_team, read_team, rows_of_team, write_team
from kessa.record.people.models import Team, User
from kessa.record.places.models import Place
from kessa.record.results.history import held_at
from kessa.record.results.models import Result
from tests.app.everything import one_of_each
from tests.world import measured, member, read, team_of


def kept(team):
    """Every row of a team, by table."""
    return {model._meta.label_lower: list(rows.order_by("pk").values()) for model, rows in rows_of_team(team)}


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
        erase_team(self.team)
        ulf, theirs = team_of("Ulf")
        for _ in range(3):
            read(theirs, ulf, "nitrate-photometer", 20.0, 20.0)
        User.objects.create_user("olek")
        again = read_team(archive)
        self.assertNotEqual(again.pk, ulf.team_id)
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
