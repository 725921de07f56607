"""Reading from a replica of the database, where an operator has set one: what takes long and leaves as a file.

Whatever was written until a file was asked for is in it: a replica that lags behind is waited for a little, then the
database itself is read.
"""

import time
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Any

from django.conf import settings
from django.db import DEFAULT_DB_ALIAS, DatabaseError, connection, connections

REPLICA = "replica"
_WAIT_S, _LOOK_S = 1.0, 0.05
_read_from: ContextVar[str] = ContextVar("which database is read from", default=DEFAULT_DB_ALIAS)


class Router:
    """Sends reads to where they are to be read from, all that is written to the database itself."""

    def db_for_read(self, model: Any, **hints: Any) -> str:
        """Return where a model is read from now."""
        return _read_from.get()

    def db_for_write(self, model: Any, **hints: Any) -> str:
        """Return where a model is written."""
        return DEFAULT_DB_ALIAS

    def allow_relation(self, one: Any, other: Any, **hints: Any) -> bool:
        """Allow rows that were read here and there to name one another: they are of one database."""
        return True

    def allow_migrate(self, db: str, app_label: str, **hints: Any) -> bool:
        """Leave the replica to what copies the database to it."""
        return db == DEFAULT_DB_ALIAS


def for_files() -> str:
    """Return which database a file is read from that is asked for now: the replica, where it has all there is by now.

    Within a transaction it is the database itself: there stands what the replica does not know yet.
    """
    if REPLICA not in settings.DATABASES or connection.in_atomic_block:
        return DEFAULT_DB_ALIAS
    try:
        with connection.cursor() as cursor:
            cursor.execute("SELECT pg_current_wal_lsn()")
            written = cursor.fetchone()
        until = time.monotonic() + _WAIT_S
        while not _has(written):
            if time.monotonic() > until:
                return DEFAULT_DB_ALIAS
            time.sleep(_LOOK_S)
    except DatabaseError:
        return DEFAULT_DB_ALIAS
    return REPLICA


def _has(written: Any) -> bool:
    with connections[REPLICA].cursor() as cursor:
        cursor.execute("SELECT pg_last_wal_replay_lsn() >= %s::pg_lsn", written)
        return bool(cursor.fetchone()[0])


@contextmanager
def reading_from(alias: str) -> Iterator[None]:
    """Read from a database while this lasts."""
    begun = _read_from.set(alias)
    try:
        yield
    finally:
        _read_from.reset(begun)
