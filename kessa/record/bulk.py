"""Writing many rows at a time."""

from collections.abc import Iterable
from typing import Any

from django.db import DEFAULT_DB_ALIAS, connections, models


def written_fields(model: type[models.Model]) -> list[Any]:
    """Return the fields of a model's own columns, without those that the database works out of others."""
    return [field for field in model._meta.concrete_fields if not field.generated]


def copy_in(model: type[models.Model], rows: Iterable[models.Model]) -> None:
    """Write new rows of a model by COPY; whether a number that the database gives is left to it."""
    fields = [field for field in written_fields(model) if not isinstance(field, models.AutoField)]
    # Made beforehand: while they are sent nothing else can be asked.
    connection = connections[DEFAULT_DB_ALIAS]
    made = [[field.get_db_prep_save(field.pre_save(row, True), connection) for field in fields] for row in rows]
    columns = ", ".join(f'"{field.column}"' for field in fields)
    with connection.cursor() as cursor, cursor.copy(f'COPY "{model._meta.db_table}" ({columns}) FROM STDIN') as copy:
        for values in made:
            copy.write_row(values)
