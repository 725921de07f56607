"""One moment of the database, at which many short transactions read while the worker goes on writing how far it is."""

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any, Self

from django.db import connections, transaction

from kessa.record.replica import for_files, reading_from

_READS = "SET TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY"


class Moment:
    """A moment that is held from entering to leaving, by a connection of its own.

    `asked_for` are the ids of the rows of each noun that belong to the results that are asked for, once they are known.
    """

    def __enter__(self) -> Self:
        self.asked_for: dict[str, list[Any]] = {}
        self._alias = for_files()
        self._holder = connections[self._alias].copy()
        self._holder.set_autocommit(False)
        with self._holder.cursor() as cursor:
            cursor.execute(_READS)
            cursor.execute("SET LOCAL idle_in_transaction_session_timeout = 0")
            cursor.execute("SELECT pg_export_snapshot()")
            (self._name,) = cursor.fetchone()
        return self

    def __exit__(self, *_: object) -> None:
        self._holder.close()

    @contextmanager
    def reading(self) -> Iterator[None]:
        """Read what stood at the moment; within a transaction that goes on, what stands in it."""
        connection = connections[self._alias]
        if connection.in_atomic_block:
            yield
            return
        with reading_from(self._alias), transaction.atomic(using=self._alias):
            with connection.cursor() as cursor:
                cursor.execute(_READS)
                cursor.execute(f"SET TRANSACTION SNAPSHOT '{self._name}'")  # the server's own name of it
            yield
