"""Running it: a copy of everything and back, under one lock, watched over, and logs that name nobody."""

import json
import logging
import os
import subprocess
import sys
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest.mock import patch

import psycopg
from django.conf import settings
from django.core.management import call_command
from django.db import DatabaseError, connection
from django.test import SimpleTestCase, TestCase, TransactionTestCase, override_settings

from kessa.web.logs import Discreet, formatter
from tests.app.everything import one_of_each
from tests.world import measured, member, team_of


def address(name):
    """The address of a database beside the test's own."""
    of = connection.settings_dict
    return f"postgresql://{of['USER']}:{of['PASSWORD']}@{of['HOST']}:{of['PORT']}/{name}"


def whole(name):
    """Every table of a database, its rows in one order."""
    with psycopg.connect(address(name)) as other:
        tables = other.execute("SELECT tablename FROM pg_tables WHERE schemaname = 'public' ORDER BY 1").fetchall()
        return {table: other.execute(f'SELECT t::text FROM "{table}" t ORDER BY 1').fetchall() for (table,) in tables}


@contextmanager
def empty_database(name):
    """An empty database for a while."""
    with psycopg.connect(address("postgres"), autocommit=True) as server:
        server.execute(f"DROP DATABASE IF EXISTS {name}")
        server.execute(f"CREATE DATABASE {name}")
        try:
            yield
        finally:
            server.execute(f"DROP DATABASE {name} WITH (FORCE)")


class Drill(TransactionTestCase):
    def run_script(self, script, file, name, state):
        told = os.environ | {"DATABASE_URL": address(name), "KESSA_STATE": str(state)}
        return subprocess.run(
            [settings.ROOT / "bin" / script, file], env=told, capture_output=True, text=True, check=False
        )

    def test_a_copy_of_everything_and_back_row_by_row(self):
        with TemporaryDirectory() as folder, override_settings(MEDIA_ROOT=f"{folder}/here/files"):
            here, there, file = Path(folder) / "here", Path(folder) / "there", Path(folder) / "copy.tar"
            ines, place = team_of("Ines")
            one_of_each(ines, place)
            measured(place, member(ines.team, "Olek"), 7, 7)
            own = connection.settings_dict["NAME"]
            given = self.run_script("backup", file, own, here)
            self.assertEqual(given.returncode, 0, given.stderr)
            self.assertIn("there already", self.run_script("backup", file, own, here).stderr)
            with empty_database("kessa_drill"):
                given = self.run_script("restore", file, "kessa_drill", there)
                self.assertEqual(given.returncode, 0, given.stderr)
                before, after = whole(own), whole("kessa_drill")
                self.assertEqual(before.keys(), after.keys())
                for table, rows in before.items():
                    self.assertEqual(after[table], rows, table)
                files = [
                    {path.relative_to(root): path.read_bytes() for path in root.rglob("*.*")} for root in (here, there)
                ]
                self.assertEqual(*files)
                self.assertTrue(files[0])
                again = self.run_script("restore", file, "kessa_drill", there)
                self.assertIn("not empty", again.stderr)
                self.assertNotEqual(again.returncode, 0)
            with empty_database("kessa_drill"):
                broken = bytearray(file.read_bytes())
                broken[len(broken) // 2] ^= 0xFF
                (Path(folder) / "broken.tar").write_bytes(broken)
                given = self.run_script("restore", Path(folder) / "broken.tar", "kessa_drill", Path(folder) / "third")
                self.assertNotEqual(given.returncode, 0)
                self.assertEqual(whole("kessa_drill"), {})


# What a database is made of, whatever the order of its columns and the names that were made up.
SHAPES = (
    "SELECT table_name, column_name, data_type, character_maximum_length, is_nullable, column_default, is_identity "
    "FROM information_schema.columns WHERE table_schema = 'public'",
    "SELECT conrelid::regclass::text, contype::text, pg_get_constraintdef(oid), condeferrable FROM pg_constraint "
    "WHERE connamespace = 'public'::regnamespace",
    "SELECT regexp_replace(indexdef, 'INDEX \\S+ ON', 'INDEX ON') FROM pg_indexes WHERE schemaname = 'public'",
    "SELECT proname::text, prosrc FROM pg_proc WHERE pronamespace = 'public'::regnamespace",
    "SELECT app, name FROM django_migrations",
)


def shape(name):
    """What the tables of a database are like; groups are Django's own, and nobody's here."""
    with psycopg.connect(address(name)) as other:
        rows = [map(str, other.execute(question).fetchall()) for question in SHAPES]
    return [sorted(row for row in each if "auth_group" not in row) for each in rows]


class Tables(SimpleTestCase):
    def make(self, name, command):
        told = os.environ | {"DATABASE_URL": address(name), "DJANGO_SETTINGS_MODULE": "kessa.web.settings.demo"}
        subprocess.run([sys.executable, "manage.py", command, "--verbosity=0"], env=told, cwd=settings.ROOT, check=True)

    def test_made_at_once_or_by_one_migration_after_another_they_are_the_same(self):
        one, other = (f"{connection.settings_dict['NAME']}_{how}" for how in ("at_once", "by_steps"))
        with empty_database(one), empty_database(other):
            self.make(one, "migrate_once")
            self.make(other, "migrate")
            for at_once, by_steps in zip(shape(one), shape(other), strict=True):
                self.assertGreater(len(at_once), 3)
                self.assertEqual(at_once, by_steps)

    def test_broken_off_the_database_stays_empty(self):
        name = f"{connection.settings_dict['NAME']}_broken_off"
        told = os.environ | {"DATABASE_URL": address(name), "DJANGO_SETTINGS_MODULE": "kessa.web.settings.demo"}
        broken_off = (
            "import django, os; django.setup(); from kessa.web import tables; "
            "tables.MigrationRecorder.record_applied = lambda *_: os._exit(9); tables.make_tables()"
        )
        with empty_database(name):
            ended = subprocess.run([sys.executable, "-c", broken_off], env=told, cwd=settings.ROOT, check=False)
            self.assertEqual((ended.returncode, whole(name)), (9, {}))


class Watched(TestCase):
    def test_well_or_not(self):
        self.assertEqual(self.client.get("/health/").json(), {"ok": True, "database": "reached"})
        with patch("kessa.web.watching.connection.cursor", side_effect=DatabaseError):
            self.assertEqual(self.client.get("/health/").status_code, 503)

    def test_figures_for_who_has_the_key_and_names_of_nobody(self):
        self.assertEqual(self.client.get("/metrics/").status_code, 404)
        ines, place = team_of("Ines")
        self.client.force_login(ines.user)
        self.client.get(f"/places/{place.pk}/")
        with override_settings(METRICS_KEY="sesame"):
            self.assertEqual(self.client.get("/metrics/").status_code, 401)
            answer = self.client.get("/metrics/", headers={"Authorization": "Bearer sesame"})
        given = answer.content.decode()
        for words in (
            'kessa_request_seconds_bucket{answer="2xx",le="0.01",page="places:place"}',
            "kessa_jobs_wait_seconds",
            'kessa_rows{table="log_result"}',
            "kessa_database_bytes",
        ):
            self.assertIn(words, given)
        self.assertNotIn(f"/places/{place.pk}", given)

    def test_migrated_under_a_lock_that_is_let_go(self):
        call_command("migrate_once", verbosity=0)
        with connection.cursor() as cursor:
            cursor.execute("SELECT count(*) FROM pg_locks WHERE locktype = 'advisory'")
            self.assertEqual(cursor.fetchone()[0], 0)


class Logs(SimpleTestCase):
    def test_a_line_of_json_without_what_opens_something(self):
        record = logging.LogRecord("kessa", logging.WARNING, "x", 1, "GET /team/join/%s/ 200", ("secret",), None)
        Discreet().filter(record)
        with patch.dict(os.environ, {"KESSA_LOG": "json"}):
            data = json.loads(formatter().format(record))
        self.assertEqual((data["level"], data["from"], data["said"]), ("warning", "kessa", "GET /team/join/…/ 200"))
        self.assertEqual(formatter().format(record), "GET /team/join/…/ 200")
