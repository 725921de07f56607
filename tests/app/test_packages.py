"""A data package read into an empty team: the same record, whatever its numbers are there."""

import io
import re
import zipfile
from pathlib import Path

from django.core.management import CommandError
from django.test import TestCase, override_settings

from kessa.record.archive.packages import digests, read_package
from kessa.record.exports.moment import Moment
from kessa.record.exports.resources import resources
from kessa.record.exports.writing import Asked, write_package
from kessa.record.people.models import Membership, Role, Team, User
from kessa.record.places.models import Place
from kessa.record.results.models import Result
from kessa.record.taps.models import Tap
from kessa.record.testing.exclusions import exclude
from tests.app.everything import one_of_each
from tests.world import Taps, begin, measured, member, read, send, team_of

# Of these tests alone: others keep files at the same time.
FILES = "/tmp/kessa-test-files/packages"


def package_of(team):
    out = io.BytesIO()
    with Moment() as moment:
        write_package(out, Asked(team, resources(), None, moment, lambda _: None))
    out.seek(0)
    return out


def rewritten(package, name, old, new):
    """A package in one of whose files something else stands."""
    out = io.BytesIO()
    with zipfile.ZipFile(package) as before, zipfile.ZipFile(out, "w") as after:
        for each in before.namelist():
            content = before.read(each)
            after.writestr(each, re.sub(old, new, content.decode(), count=1) if each == name else content)
    out.seek(0)
    return out


def kept_files():
    return sorted(Path(FILES).rglob("*.jpg"))


@override_settings(MEDIA_ROOT=FILES)
class Packages(TestCase):
    def setUp(self):
        self.ines, self.place = team_of("Ines")
        self.team = self.ines.team
        one_of_each(self.ines, self.place)
        exclude(self.ines, measured(self.place, member(self.team, "Olek"), 7, 7), why="=1+1 the wrong bottle")
        well = Place.objects.create(
            team=self.team, name="'=Well", kind_key="well", feeds=["people"], limit_sets=["eu-2020"]
        )
        read(well, self.ines, "nitrate-photometer", 7.5, 7.5, dilution=4)
        taps = Taps().answer("ph", 7.2)
        drop = taps.add("blank-1", "drop_added")
        taps.add("blank-1", "taken_back", of=drop["id"])
        for run, count in (("blank-1", 1), ("sample-1", 7), ("sample-2", 7)):
            taps.run(run, count)
        send(self.ines, begin(self.place, self.ines), taps.close())
        self.empty = Team.objects.create(name="Empty")

    def test_the_same_record_beside_the_one_that_it_was_written_from(self):
        package = package_of(self.team)
        before = digests(package)
        counts = read_package(package, self.empty)
        self.assertTrue(all(counts.values()), counts)
        again = package_of(self.empty)
        after = digests(again)
        self.assertEqual([name for name in before if after[name] != before[name]], [])
        self.assertNotEqual(digests(again)["results"], digests(package_of(team_of("Ulf")[0].team))["results"])
        back = Tap.objects.for_team(self.empty).get(kind="taken_back")
        self.assertTrue(Tap.objects.for_team(self.empty).filter(pk=back.data["of"], kind="drop_added").exists())
        # Nobody's hand acts in another's name, and what was there stays as it was.
        people = User.objects.filter(pk__in=Tap.objects.for_team(self.empty).values("person"))
        self.assertTrue(people and not any(each.is_active or each.has_usable_password() for each in people))
        self.assertEqual(digests(package_of(self.team)), before)
        well = Place.objects.for_team(self.empty).get(name="'=Well")
        self.assertEqual(well.status.advice["stands"], "outside")

    def test_members_are_the_same_people_where_that_is_said(self):
        Membership.objects.create(team=self.empty, user=self.ines.user, role=Role.COORDINATOR)
        read_package(package_of(self.team), self.empty, same_people=True)
        names = Result.objects.for_team(self.empty).values_list("person__username", flat=True)
        self.assertEqual(set(names), {"ines", "olek-2"})

    def test_into_a_record_from_no_package_or_from_one_that_lacks_what_it_names(self):
        package = package_of(self.team)
        with self.assertRaisesMessage(CommandError, "has a record already"):
            read_package(package, self.team)
        with self.assertRaisesMessage(CommandError, "no data package"):
            read_package(io.BytesIO(b"PK nothing"), self.empty)
        people, files = User.objects.count(), kept_files()
        for table, old, new, words in (
            ("samples", r"(?s)\n.*", "\n", "does not hold it"),
            # The last of all: what came before it, photographs among it, is not kept either.
            ("places", r"54\.5", "954.5", "no data package"),
            ("acts", r"20\d\d-\d\d-\d\dT", "never", "no data package"),
        ):
            with self.subTest(table):
                with self.assertRaisesMessage(CommandError, words):
                    read_package(rewritten(package, f"data/{table}.csv", old, new), self.empty)
                self.assertEqual((User.objects.count(), Place.objects.for_team(self.empty).count()), (people, 0))
                self.assertEqual(kept_files(), files)
