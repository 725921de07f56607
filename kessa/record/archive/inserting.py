"""Rows put into tables as they were elsewhere."""

import base64
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from typing import Any

from django.db import connection, models
from django.utils import timezone

from kessa.record.bulk import written_fields
from kessa.record.people.models import User

_AT_ONCE = 2000


def free_username(name: str) -> str:
    """Return a user name that nobody has: this one, or with a number behind it."""
    free, nth = name, 2
    while User.objects.filter(username=free).exists():
        free, nth = f"{name}-{nth}", nth + 1
    return free


@contextmanager
def kept_or_none(files: dict[str, str]) -> Iterator[None]:
    """Remove files that were kept, by the names that they have here, where what names them is not kept after all."""
    try:
        yield
    except BaseException:
        for name in files.values():
            models.FileField().storage.delete(name)
        raise


def insert_rows(model: Any, rows: Iterable[dict[str, Any]]) -> None:
    """Insert rows as they were: without what a model fills in by itself."""
    fields = written_fields(model)
    quote = connection.ops.quote_name
    columns, marks = ", ".join(quote(field.column) for field in fields), ", ".join("%s" for _ in fields)
    statement = f"INSERT INTO {quote(model._meta.db_table)} ({columns}) VALUES ({marks})"  # noqa: S608 # names of our own
    batch: list[list[Any]] = []
    with connection.cursor() as cursor:
        for row in rows:
            # What an older release did not know is as it is where nothing was said.
            batch.append([_prepared(field, _value(field, row)) for field in fields])
            if len(batch) >= _AT_ONCE:
                cursor.executemany(statement, batch)
                batch.clear()
        if batch:
            cursor.executemany(statement, batch)


def _prepared(field: Any, value: Any) -> Any:
    if isinstance(field, models.BinaryField):
        return None if value is None else base64.b64decode(value)
    if isinstance(field, models.JSONField):
        # Nothing in a column is nothing, not the word for it.
        return None if value is None and field.null else field.get_db_prep_save(value, connection)
    if isinstance(field, models.ForeignKey):
        return (
            value
            if value is None
            else field.target_field.get_db_prep_save(field.target_field.to_python(value), connection)
        )
    return field.get_db_prep_save(field.to_python(value), connection)


def number_after(model: Any) -> None:
    """Let the next number of a table come after those that are there."""
    pk = model._meta.pk
    if isinstance(pk, models.AutoField):
        table, column = model._meta.db_table, str(pk.column)
        quote = connection.ops.quote_name
        with connection.cursor() as cursor:
            cursor.execute(f"SELECT MAX({quote(column)}) FROM {quote(table)}")  # noqa: S608 # names of our own
            (highest,) = cursor.fetchone()
            next_of = "nextval(pg_get_serial_sequence(%(table)s, %(column)s))"
            cursor.execute(
                f"SELECT setval(pg_get_serial_sequence(%(table)s, %(column)s), GREATEST(%(highest)s, {next_of}))",
                {"table": quote(table), "column": column, "highest": highest or 1},
            )


def _value(field: Any, row: dict[str, Any]) -> Any:
    if field.attname not in row and getattr(field, "auto_now_add", False):
        return timezone.now()
    return row.get(field.attname, field.get_default())
