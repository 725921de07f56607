"""What leaves as a data package and comes in as a table, of a hundred thousand results: see bin/speed."""

import io
from datetime import UTC, datetime, timedelta
from itertools import count

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.utils import timezone

from kessa.record.archive.archive import erase_team
from kessa.record.exports.models import Export, Format
from kessa.record.exports.resources import resources
from kessa.record.exports.services import ask_for_export
from kessa.record.exports.tasks import clear_old, write_export
from kessa.record.imports import services
from kessa.record.imports.tasks import check_import, look_for_table, write_import
from kessa.record.long_work.models import State
from kessa.record.people.models import User
from kessa.record.results.models import Result
from tests.world import team_of

ROWS = 100_000
_numbers = count()


def copied_out(sql, params=()):
    """Let PostgreSQL copy rows out; return how they were written."""
    with connection.cursor() as cursor:
        cursor.execute("SET statement_timeout = 0")
    written = io.BytesIO()
    with connection.connection.cursor() as cursor, cursor.copy(f"COPY ({sql}) TO STDOUT", params) as rows:
        for row in rows:
            written.write(row)
    return written.getvalue()


def package(by):
    """Return what writes a data package of all results of a year, and what copies the same rows out."""
    since = timezone.now() - timedelta(days=365)
    results = Result.objects.for_team(by.team).filter(taken_at__gte=since)

    def ours():
        asked = ask_for_export(by, by.team, Format.PACKAGE, filters=f"from_day={since:%Y-%m-%d}")
        write_export(asked.pk)
        asked.refresh_from_db()
        assert asked.state == State.DONE, asked.fault
        Export.across_teams.filter(pk=asked.pk).update(ended_at="2020-01-01T00:00Z")
        clear_old(0)

    def bare():
        for noun in resources():
            copied_out(*noun.rows(by.team, results).values_list(*noun.paths).query.sql_with_params())

    return ours, bare


def taking_in():
    """Return what takes a table of so many results in, with what erases it, and what copies as many rows in."""
    teams, kept = [], []

    def ours():
        with connection.cursor() as cursor:
            # As the worker has it.
            cursor.execute("SET statement_timeout = '10min'")
        by, place = team_of(f"Importer {next(_numbers)} {timezone.now():%H%M%S}")
        teams.append(by.team)
        # None in the hour that a clock strikes twice: those are left for the reader of the table.
        times = (datetime(2012, 1, 31, 4, tzinfo=UTC) + timedelta(days=n // 20, hours=n % 20) for n in range(ROWS))
        lines = [f"{place};{at:%d.%m.%Y;%H:%M};{n % 60},5" for n, at in enumerate(times)]
        text = "\n".join(["Place;Date;Time;Nitrate mg/L as NO3", *lines])
        imported = services.bring(by, by.team, SimpleUploadedFile("table.csv", text.encode()))
        look_for_table(imported.pk, "", "")
        imported.refresh_from_db()
        services.match(by, imported, imported.columns, imported.reading)
        check_import(imported.pk)
        imported.refresh_from_db()
        services.import_file(by, imported)
        write_import(imported.pk)
        written = Result.objects.for_team(by.team)
        assert written.count() == ROWS, (imported.fault, imported.told)
        kept[:] = kept or [copied_out(f"SELECT * FROM log_result WHERE team_id = {by.team.pk}")]

    def bare():
        with connection.cursor() as cursor:
            cursor.execute("CREATE TEMP TABLE copied (LIKE log_result INCLUDING INDEXES INCLUDING CONSTRAINTS)")
        with connection.connection.cursor() as cursor, cursor.copy("COPY copied FROM STDIN") as rows:
            rows.write(kept[0])
        with connection.cursor() as cursor:
            cursor.execute("DROP TABLE copied")

    def erase():
        for team in teams:
            erase_team(team)
        User.objects.filter(username__startswith="importer ").delete()

    return ours, bare, erase
