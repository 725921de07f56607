"""A data package read into an empty team: the record that other programs keep, here again with numbers of its own."""

import csv
import io
import json
import uuid
import zipfile
from collections.abc import Iterator
from functools import cache
from hashlib import sha256
from typing import IO, Any

from django.apps import apps
from django.core.exceptions import ValidationError
from django.core.files.base import ContentFile
from django.core.management import CommandError
from django.db import DatabaseError, connection, models, transaction

from kessa.record.archive.inserting import free_username, insert_rows, kept_or_none
from kessa.record.archive.references import FILE, PERSON, TEAM, renamed
from kessa.record.bulk import written_fields
from kessa.record.exports.resources import Column, Resource, resources
from kessa.record.people.models import Team, User
from kessa.record.results.export import unharmed
from kessa.record.results.written import fill_found_by
from kessa.record.visits.models import Sample

_PERSONS, _PEOPLE, _STREAM = "__username", "people", "a stream of taps"
# A cell may hold the working of a result, or the steps of a method.
_LONGEST_CELL = 10_000_000


@transaction.atomic
def read_package(source: IO[bytes], team: Team, *, same_people: bool = False) -> dict[str, int]:
    """Read a data package into a team that has no record yet; return how many rows of each noun that were.

    With `same_people` a member of the team by the same user name is the same; everybody else is a person who cannot
    sign in. Raises CommandError where the team has a record, on what is no package of Kessa, and on one that names what
    it does not hold; nothing of it is kept then.
    """
    if any(noun.rows(team, None).exists() for noun in resources() if noun.name not in ("acts", _PEOPLE)):
        raise CommandError(f"{team} has a record already: a package is read into an empty team.")
    csv.field_size_limit(_LONGEST_CELL)
    try:
        with zipfile.ZipFile(source) as package:
            names = _Names(package, team, same_people=same_people)
            with kept_or_none(names.files):
                counts = {noun.name: _insert(package, noun, names) for noun in names.nouns}
                fill_found_by(team.pk)
    except (zipfile.BadZipFile, csv.Error, LookupError, TypeError, ValueError, ValidationError, DatabaseError) as fault:
        raise CommandError("This is no data package that Kessa wrote.") from fault
    last = Sample.objects.for_team(team).aggregate(last=models.Max("number"))["last"] or 0
    Team.objects.filter(pk=team.pk).update(next_sample_number=last + 1)
    return counts


def digests(source: IO[bytes]) -> dict[str, str]:
    """Return a digest of each noun of a package, whatever its numbers and people are called."""
    csv.field_size_limit(_LONGEST_CELL)
    seen: dict[Any, int] = {}
    with zipfile.ZipFile(source) as package:
        nouns, people = _nouns(package), _people(package)
        held = {apps.get_model(noun.model)._meta.label_lower: _ids(package, noun) for noun in nouns}

        def name(table: str, value: Any, *, gone: bool = False) -> Any:
            if table == FILE:
                return sha256(package.read(f"files/{value}")).hexdigest()
            if table == PERSON:
                return seen.setdefault((table, people.get(value, "") if isinstance(value, int) else value), len(seen))
            if table == _STREAM:
                return seen.setdefault(value, len(seen))
            if table not in held or (gone and value not in held[table]):
                return 0
            return held[table][value]

        found = {}
        for noun in nouns:
            whole = sha256()
            model, followed = apps.get_model(noun.model), _followed(noun)
            for row in _rows_of(package, noun.name):
                kept = _with_stream(noun, renamed(model, _as_row(noun, row), name), name)
                given = {column.name: row[column.name] for column in followed}
                whole.update(json.dumps([kept, given], sort_keys=True).encode())
            found[noun.name] = whole.hexdigest()
    return found


def _nouns(package: zipfile.ZipFile) -> list[Resource]:
    """Return the nouns of a package that are read; its people become others by what names them."""
    names = {each["name"] for each in json.loads(package.read("datapackage.json"))["resources"]}
    return [noun for noun in resources() if noun.name in names and noun.name != _PEOPLE]


def _rows_of(package: zipfile.ZipFile, name: str) -> Iterator[dict[str, str]]:
    with package.open(f"data/{name}.csv") as table:
        yield from csv.DictReader(io.TextIOWrapper(table, encoding="utf-8", newline=""))


def _ids(package: zipfile.ZipFile, noun: Resource) -> dict[Any, int]:
    """Return the ids of a noun, each with its place in their order."""
    kind = int if noun.table[0].type == "integer" else str
    return {kind(row["id"]): nth for nth, row in enumerate(_rows_of(package, noun.name))}


def _people(package: zipfile.ZipFile) -> dict[int, str]:
    """Return everybody's user name by the number by which taps name them."""
    return {int(row["id"]): row["username"] for row in _rows_of(package, _PEOPLE)}


def _as_row(noun: Resource, row: dict[str, str]) -> dict[str, Any]:
    """Return a row by the columns of its model, without what follows from others."""
    model: Any = apps.get_model(noun.model)
    fields, kept = _fields(model), {}
    for column in noun.table:
        path = model._meta.pk.attname if column.path == "pk" else column.path
        if path.endswith(_PERSONS) and path.count("__") == 1:
            kept[f"{path.removesuffix(_PERSONS)}_id"] = row[column.name] or None
        elif "__" not in path:
            kept[path] = _value(fields[path], column, row[column.name])
    return kept


@cache
def _fields(model: Any) -> dict[str, Any]:
    return {field.attname: field for field in written_fields(model)}


def _value(field: Any, column: Column, cell: str) -> Any:
    if cell == "":
        return None if field.null else "" if column.type == "string" else field.get_default()
    match column.type:
        case "integer":
            return int(cell)
        case "number":
            return float(cell)
        case "boolean":
            return cell == "true"
        case "object" | "array":
            return json.loads(cell)
    return unharmed(cell)


def _followed(noun: Resource) -> list[Column]:
    """Return the columns of a noun that follow from others, without numbers."""
    return [
        column
        for column in noun.table
        if "__" in column.path and not column.path.endswith(_PERSONS) and column.name not in noun.refers
    ]


def _with_stream(noun: Resource, row: dict[str, Any], name: Any) -> dict[str, Any]:
    """A tap names the visit or test that it belongs to by its number alone."""
    return row | {"stream": name(_STREAM, row["stream"])} if noun.name == "taps" else row


def _insert(package: zipfile.ZipFile, noun: Resource, names: "_Names") -> int:
    model: Any = apps.get_model(noun.model)
    count = 0

    def rows() -> Iterator[dict[str, Any]]:
        nonlocal count
        for row in _rows_of(package, noun.name):
            count += 1
            kept = _with_stream(noun, renamed(model, _as_row(noun, row), names), names)
            yield kept | {"team_id": names.team.pk}

    insert_rows(model, rows())
    return count


class _Names:
    """By what each row, person and file of a package is known here."""

    def __init__(self, package: zipfile.ZipFile, team: Team, *, same_people: bool) -> None:
        self.package, self.team, self.nouns = package, team, _nouns(package)
        members = {each.username: each.pk for each in User.objects.filter(memberships__team=team)}
        self.people: dict[str, int] = members if same_people else {}
        self.members = _people(package)
        self.files: dict[str, str] = {}
        self.ids: dict[str, dict[Any, Any]] = {}
        self.uuids: dict[str, str] = {}
        for noun in self.nouns:
            model: Any = apps.get_model(noun.model)
            numbers = list(_ids(package, noun))
            if isinstance(model._meta.pk, models.AutoField):
                known: dict[Any, Any] = dict(zip(numbers, _reserved(model, len(numbers)), strict=True))
            else:
                known = _free(model, numbers)
                self.uuids |= known
            self.ids[model._meta.label_lower] = known

    def __call__(self, table: str, value: Any, *, gone: bool = False) -> Any:
        """Return what a row, person or file is known by here; raises CommandError on what the package does not hold."""
        if table == TEAM:
            return self.team.pk
        if table == PERSON:
            name = self.members.get(value, "") if isinstance(value, int) else value
            return self._person(name) if name else 0
        if table == FILE:
            content = ContentFile(self.package.read(f"files/{value}"))
            self.files[value] = models.FileField().storage.save(value, content)
            return self.files[value]
        if table == _STREAM:
            return self.uuids.get(value, value)
        if value in self.ids.get(table, ()):
            return self.ids[table][value]
        # What no package holds is gone, too.
        if gone or table not in self.ids:
            return 0
        raise CommandError(f"This package names {table} {str(value)[:40]}, and does not hold it: it is not read.")

    def _person(self, name: str) -> int:
        """Return a person by a user name; one who cannot sign in where that is nobody here."""
        if name not in self.people:
            person = User(username=free_username(name), first_name=name[:150], is_active=False)
            person.set_unusable_password()
            person.save()
            self.people[name] = person.pk
        return self.people[name]


def _reserved(model: Any, many: int) -> list[int]:
    """Return so many numbers of a table that nothing else will have, rising."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT nextval(pg_get_serial_sequence(%s, %s)) FROM generate_series(1, %s)",
            [f'"{model._meta.db_table}"', model._meta.pk.column, many],
        )
        return [number for (number,) in cursor.fetchall()]


def _free(model: Any, numbers: list[str]) -> dict[str, str]:
    """Return under which numbers rows are kept that have one of their kind anywhere: their own, where they are free."""
    if not model._base_manager.filter(pk__in=numbers).exists():
        return {number: number for number in numbers}
    return dict(zip(sorted(numbers), sorted(str(uuid.uuid4()) for _ in numbers), strict=True))
