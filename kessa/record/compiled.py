"""Statements that are compiled once: a page asks the same things each time, only with other values.

This is the one file that rests on private parts of Django (its compiler, `_chain`, the caches of prefetched rows), and
why it does: of processor time, on the demo's data, Today takes 23 ms instead of 60, a place's page 45 instead of 96, a
result's 27 instead of 57.
"""

import copy
import re
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from functools import update_wrapper
from typing import Any, NamedTuple

from django.db import connection
from django.db.models import Expression, Field, Lookup, QuerySet
from django.db.models.fields.related import ForeignObject


class _Given(Expression):
    """A value that is known when the statement is asked."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.name = name

    def resolve_expression(self, *_: Any, **__: Any) -> "_Given":
        return self

    def as_sql(self, *_: Any) -> Any:
        return "%s", [self]


class _AnyOf(Lookup):
    """One of several values in one parameter: `pk__any=numbers`.

    Their number is no part of the statement, which may be compiled once, and is not held to the 65,535 parameters that
    a statement takes.
    """

    lookup_name = "any"

    def get_prep_lookup(self) -> Any:
        prepare = self.lhs.output_field.get_prep_value
        return self.rhs if isinstance(self.rhs, _Given) else [prepare(each) for each in self.rhs]

    def as_sql(self, compiler: Any, connection: Any) -> tuple[str, list[Any]]:  # type: ignore[override]
        left, left_params = self.process_lhs(compiler, connection)
        return f"{left} = ANY(%s)", [*left_params, self.rhs]


Field.register_lookup(_AnyOf)
ForeignObject.register_lookup(_AnyOf)


# What was read of what: the rows by statement and values, with the text of the statement.
_read: ContextVar[dict[Any, tuple[str, list[Any]]] | None] = ContextVar("what was read", default=None)
_CHANGE_NOTHING = ("SELECT", "SAVEPOINT", "RELEASE")
_WRITES = re.compile(r'\s*(?:INSERT INTO|UPDATE|DELETE FROM) ("\w+")')


@contextmanager
def read_once() -> Iterator[None]:
    """Read what is asked twice once while this lasts: what one reads, all that rests on it shares.

    What is written to a table lets all be forgotten that was read of it, and a lock that is taken everything.
    """
    if _read.get() is not None:
        yield
        return
    known: dict[Any, tuple[str, list[Any]]] = {}

    def watched(execute: Any, sql: Any, *rest: Any) -> Any:
        written = _WRITES.match(sql)
        if written:
            for key in [key for key, (text, _) in known.items() if written[1] in text]:
                del known[key]
        elif _locks(sql) or not sql.startswith(_CHANGE_NOTHING):
            known.clear()
        return execute(sql, *rest)

    begun = _read.set(known)
    try:
        with connection.execute_wrapper(watched):
            yield
    finally:
        _read.reset(begun)


def _locks(sql: str) -> bool:
    return " FOR UPDATE" in sql or " FOR NO KEY UPDATE" in sql


class _Compiled(NamedTuple):
    """A queryset with its compiler, and the statement for values by name."""

    rows: Any
    compiler: Any
    converters: Any
    sql: str
    params: tuple[Any, ...]

    def filled(self, given: dict[str, Any]) -> tuple[Any, ...]:
        return tuple(given[each.name] if isinstance(each, _Given) else each for each in self.params)

    def answered(self, **instead: Any) -> list[Any]:
        """Return the rows of a compiler in which something stands instead of its own."""
        mine = copy.copy(self.compiler)
        mine.connection = connection
        mine.get_converters = lambda *_: self.converters
        for name, each in instead.items():
            setattr(mine, name, each)
        rows = self.rows._chain()
        rows.query.get_compiler = lambda *_, **__: mine
        return list(rows)


class compiled:  # noqa: N801 # it stands before functions
    """Make a function that returns a queryset return its rows instead, the statement built and compiled once.

    It is called by keywords, and its arguments may only be values that fields are compared with: numbers, texts, times,
    for `__any` lists of them.
    """

    def __init__(self, build: Callable[..., Any]) -> None:
        update_wrapper(self, build)
        self._build = build
        self._known: dict[tuple[str, ...], _Compiled] = {}

    def __call__(self, **given: Any) -> list[Any]:
        """Return the rows for these values."""
        read, key = _read.get(), self._key(given)
        if read is not None and key in read:
            return list(read[key][1])
        of = self._of(given)
        rows = of.answered(as_sql=lambda *_, **__: (of.sql, of.filled(given)))
        if read is not None and not _locks(of.sql):
            read[key] = of.sql, rows
        return list(rows)

    def ahead(self, several: Iterable[dict[str, Any]]) -> None:
        """Read the rows of several in one statement: they are asked for within this `read_once`, if there is one."""
        read = _read.get()
        if read is None:
            return
        wanted = {self._key(given): given for given in several}
        wanted = {key: given for key, given in wanted.items() if key not in read}
        if not wanted:
            return
        of = self._of(next(iter(wanted.values())))
        each = (f"SELECT {nth}, found.* FROM ({of.sql}) AS found" for nth in range(len(wanted)))  # noqa: S608 # ours
        found: list[list[Any]] = [[] for _ in wanted]
        with connection.cursor() as cursor:
            cursor.execute(" UNION ALL ".join(each), [value for given in wanted.values() for value in of.filled(given)])
            for nth, *row in cursor.fetchall():
                found[nth].append(row)
        for key, rows in zip(wanted, found, strict=True):
            read[key] = of.sql, of.answered(execute_sql=lambda *_, rows=rows, **__: [rows])

    def _key(self, given: dict[str, Any]) -> tuple[Any, ...]:
        values = ((name, tuple(each) if isinstance(each, list) else each) for name, each in given.items())
        return self._build, *values

    def _of(self, given: dict[str, Any]) -> _Compiled:
        if None in given.values():
            raise TypeError(f"{self._build.__name__}: nothing equals NULL.")
        names = tuple(given)
        if names not in self._known:
            rows = self._build(**{name: _Given(name) for name in names})
            compiler = rows.query.get_compiler(using=rows.db)
            sql, params = compiler.as_sql()
            converters = compiler.get_converters([each[0] for each in compiler.select])
            self._known[names] = _Compiled(rows, compiler, converters, sql, params)
        return self._known[names]


def prefetched(found: list[Any], name: str, key: str, related: list[Any]) -> None:
    """Lay related rows, which name theirs by `key`, beside the rows found, as prefetch_related does."""
    of_each: dict[Any, list[Any]] = {row.pk: [] for row in found}
    for each in related:
        of_each[getattr(each, key)].append(each)
    for row in found:
        rows: Any = QuerySet(model=row._meta.get_field(name).related_model)
        rows._result_cache = of_each[row.pk]
        rows._prefetch_done = True
        row._prefetched_objects_cache = {**getattr(row, "_prefetched_objects_cache", {}), name: rows}
