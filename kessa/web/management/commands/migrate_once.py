"""Bring the tables up to date, one machine at a time: others that start meanwhile wait, and find it done."""

from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand
from django.db import connection

from kessa.web.tables import make_tables

# Any number will do, so long as it is always this one.
_LOCK = 7_203_114


class Command(BaseCommand):
    """Migrates under a lock of the database's own."""

    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        """Wait for the lock, migrate, let it go."""
        with connection.cursor() as cursor:
            cursor.execute("SET lock_timeout = 0")
            cursor.execute("SELECT pg_advisory_lock(%s)", [_LOCK])
        try:
            if not connection.introspection.table_names():
                make_tables()
            call_command("migrate", verbosity=options["verbosity"], interactive=False)
        finally:
            with connection.cursor() as cursor:
                cursor.execute("SELECT pg_advisory_unlock(%s)", [_LOCK])
