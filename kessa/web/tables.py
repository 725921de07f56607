"""The tables of an empty database, made at once: one migration after another takes half a minute of processor."""

from collections.abc import Iterable

from django.apps import AppConfig
from django.conf import settings
from django.core.management import call_command
from django.db import connection
from django.db.migrations.loader import MigrationLoader
from django.db.migrations.recorder import MigrationRecorder

# It has no models: its tables are SQL of its own.
_BY_MIGRATIONS = "procrastinate"


def without_migrations(installed: Iterable[str]) -> dict[str, None]:
    """Return MIGRATION_MODULES with which `migrate --run-syncdb` makes tables as the models say."""
    labels = {AppConfig.create(each).label for each in installed}
    return dict.fromkeys(sorted(labels - {_BY_MIGRATIONS}))


def make_tables() -> None:
    """Make all tables in an empty database, and note as done the migrations that come to the same."""
    before = settings.MIGRATION_MODULES
    settings.MIGRATION_MODULES = without_migrations(settings.INSTALLED_APPS)
    try:
        call_command("migrate", run_syncdb=True, interactive=False, verbosity=0)
    finally:
        settings.MIGRATION_MODULES = before
    call_command("createcachetable", verbosity=0)
    loader, recorder = MigrationLoader(connection), MigrationRecorder(connection)
    for key in set(loader.disk_migrations) - set(loader.applied_migrations):
        recorder.record_applied(*key)
