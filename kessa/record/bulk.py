"""Writing many rows at a time."""

from collections.abc import Iterable
from typing import Any

from django.db import connection, models


def copy_in(model: type[models.Model], rows: Iterable[models.Model]) -> None:
    """Write new rows of a model by COPY; whether a number that the database gives is left to it."""
    fields = [field for field in model._meta.concrete_fields if not isinstance(field, models.AutoField)]
    # Made beforehand: while they are sent nothing else can be asked.
    made = [[_kept(field, row) for field in fields] for row in rows]
    columns = ", ".join(f'"{field.column}"' for field in fields)
    with connection.cursor() as cursor, cursor.copy(f'COPY "{model._meta.db_table}" ({columns}) FROM STDIN') as copy:
        for values in made:
            copy.write_row(values)


def _kept(field: Any, row: models.Model) -> Any:
    return field.get_db_prep_save(field.pre_save(row, True), connection)
