"""The tables of an empty database, made at once: one migration after another takes half a minute of processor."""

from collections.abc import Iterable

from django.apps import AppConfig
from django.conf import settings
from django.core.management import call_command
from django.db import connection, transaction
from django.db.migrations.loader import MigrationLoader
from django.db.migrations.recorder import MigrationRecorder

# Its tables are SQL of its own, in steps that must be committed one by one.
_BY_MIGRATIONS = "procrastinate"


def without_migrations(installed: Iterable[str]) -> dict[str, None]:
    """Return MIGRATION_MODULES with which `migrate --run-syncdb` makes tables as the models say."""
    labels = {AppConfig.create(each).label for each in installed}
    return dict.fromkeys(sorted(labels - {_BY_MIGRATIONS}))


@transaction.atomic
def make_tables() -> None:
    """Make all tables of models in an empty database, and note as done the migrations that come to the same.

    All of it or none: where it is broken off, the database is as empty as before. What is made by migrations alone is
    left to them.
    """
    before = settings.MIGRATION_MODULES
    settings.MIGRATION_MODULES = without_migrations(settings.INSTALLED_APPS) | {_BY_MIGRATIONS: None}
    try:
        call_command("migrate", run_syncdb=True, interactive=False, verbosity=0)
    finally:
        settings.MIGRATION_MODULES = before
    call_command("createcachetable", verbosity=0)
    loader, recorder = MigrationLoader(connection), MigrationRecorder(connection)
    for app, name in loader.disk_migrations:
        if app != _BY_MIGRATIONS:
            recorder.record_applied(app, name)
