"""Say whether the database holds a world of an older Kessa."""

from typing import Any

from django.apps import apps
from django.core.management.base import BaseCommand, CommandError
from django.db import connection
from django.db.migrations.loader import MigrationLoader


class Command(BaseCommand):
    """Fails where tables were made by migrations that are no more: nothing leads from them to those of today."""

    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        """Hold what was migrated against the migrations there are, and against the tables."""
        loader = MigrationLoader(connection)
        ours = {config.label for config in apps.get_app_configs() if config.name.startswith("kessa.")}
        applied = {key for key in loader.applied_migrations if key[0] in ours}
        unknown = applied - set(loader.disk_migrations)
        tables = set(connection.introspection.table_names())
        # Of what is fully migrated every table must be there; of the rest, migrating makes them.
        ready = {label for label, name in loader.graph.leaf_nodes() if (label, name) in applied}
        missing = {
            model._meta.db_table
            for label in ready & ours
            for model in apps.get_app_config(label).get_models()
            if model._meta.db_table not in tables
        }
        if unknown or missing:
            raise CommandError("The world here is of an older Kessa: bin/demo --fresh builds it anew.")
