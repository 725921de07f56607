"""A team as a whole: written into one archive, read back here or elsewhere, erased."""

import base64
import json
import zipfile
from collections import defaultdict
from collections.abc import Iterable, Iterator
from datetime import datetime
from hashlib import sha256
from typing import IO, Any

from django.core.files.base import ContentFile
from django.core.management import CommandError
from django.core.serializers.json import DjangoJSONEncoder
from django.db import models, transaction

from kessa.record.archive.inserting import free_username, insert_rows, kept_or_none, number_after
from kessa.record.archive.references import FILE, PERSON, TEAM, owned, people_in, renamed
from kessa.record.bulk import written_fields
from kessa.record.people.models import Membership, Team, User
from kessa.record.results.written import fill_found_by

_FORMAT = 1
_AT_ONCE = 2000
_ABOUT_PEOPLE = (
    "username", "first_name", "last_name", "email", "password", "is_active", "date_joined",
    "concentration_unit", "temperature_unit", "hardness_unit", "amount_system",
)  # fmt: skip
# Tables by the names that archives of older releases have for them.
_FORMER = {
    "instruments.shown": "instruments.receivedreading",
    "log.standing": "log.placestatus",
    "rounds.settled": "rounds.stopoutcome",
    "exchange.notebook": "exchange.import",
    "api.hook": "api.webhook",
}
_FORMER_COLUMNS = {"exchange.doubtful": {"notebook_id": "imported_id"}}


class _Exactly(DjangoJSONEncoder):
    """Writes moments to the last digit, of which Django's own leaves three out."""

    def default(self, o: Any) -> Any:
        """Return what JSON has for a value."""
        return o.isoformat() if isinstance(o, datetime) else super().default(o)


def joined() -> list[tuple[Any, str]]:
    """Return the tables between owned rows and others, each with the column by which they belong to a team's row."""
    found = []
    for model in owned():
        for field in model._meta.local_many_to_many:
            through = field.remote_field.through
            if through._meta.auto_created:
                found.append((through, field.m2m_field_name()))
    return found


def rows_of_team(team: Team) -> Iterator[tuple[Any, Any]]:
    """Give each table with its rows of a team."""
    for model in owned():
        yield model, model._base_manager.filter(team=team)
    for through, owner in joined():
        yield through, through._base_manager.filter(**{f"{owner}__team": team})


# ---- out ------------------------------------------------------------------------------------------------------------


def write_team(team: Team, out: IO[bytes]) -> dict[str, int]:
    """Write a team whole into an archive; return how many rows of each table that were."""
    team = Team.objects.get(pk=team.pk)
    counts: dict[str, int] = {}
    people: set[int] = set()
    whole = _Digest(team)
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        files: list[str] = []
        for model, rows in rows_of_team(team):
            with archive.open(f"rows/{model._meta.label_lower}.jsonl", "w", force_zip64=True) as table:
                number = 0
                for row in rows.order_by("pk").iterator(chunk_size=_AT_ONCE):
                    kept = _as_kept(row)
                    table.write(json.dumps(kept, cls=_Exactly).encode() + b"\n")
                    whole.add(model, kept)
                    number += 1
                    people.update(people_in(model, kept))
                    files += [getattr(row, each.name).name for each in _files_in(model) if getattr(row, each.name)]
            counts[model._meta.label_lower] = number
        for name in files:
            _write_file(archive, name)
        known = User.objects.filter(pk__in=people).order_by("pk")
        archive.writestr(
            "people.json",
            json.dumps(
                [{"id": each.pk} | {name: getattr(each, name) for name in _ABOUT_PEOPLE} for each in known],
                cls=_Exactly,
            ),
        )
        about = {"team": _as_kept(team), "rows": counts, "columns": _columns(), "digest": whole.value}
        archive.writestr("team.json", json.dumps({"format": _FORMAT} | about, cls=_Exactly))
    return counts


def _columns() -> str:
    """Return by what two releases that keep the same columns know each other."""
    kept = {model._meta.label_lower: [field.attname for field in written_fields(model)] for model in owned()}
    return sha256(json.dumps(kept).encode()).hexdigest()


def digest(team: Team) -> str:
    """Return a digest of all rows of a team, whatever their numbers are: the same wherever it is the same record."""
    whole = _Digest(Team.objects.get(pk=team.pk))
    for model, rows in rows_of_team(team):
        for row in rows.order_by("pk").iterator(chunk_size=_AT_ONCE):
            whole.add(model, _as_kept(row))
    return whole.value


class _Digest:
    """Of the rows of a team, in their order: whoever reads them once, digests what was read."""

    def __init__(self, team: Team) -> None:
        self._first: dict[str, int] = {}
        self._people: dict[int, int] = {}
        self._whole = sha256(json.dumps(_as_kept(team) | {"id": 0}, cls=_Exactly).encode())

    def add(self, model: Any, kept: dict[str, Any]) -> None:
        """Add a row as it is kept."""
        self._whole.update(json.dumps(renamed(model, kept, self._name), cls=_Exactly, sort_keys=True).encode())

    @property
    def value(self) -> str:
        """The digest of what was added so far."""
        return self._whole.hexdigest()

    def _name(self, table: str, value: Any, *, gone: bool = False) -> Any:
        del gone
        if table == PERSON:
            return self._people.setdefault(value, len(self._people))
        if table == FILE:
            storage = models.FileField().storage
            return sha256(storage.open(value).read()).hexdigest() if storage.exists(value) else "none"
        # Numbers of a table are moved up together.
        return value - self._first.setdefault(table, value) if isinstance(value, int) else value


def _as_kept(row: Any) -> dict[str, Any]:
    data = {field.attname: field.value_from_object(row) for field in written_fields(type(row))}
    return {
        name: base64.b64encode(bytes(value)).decode() if isinstance(value, bytes | memoryview)
        else value.name if isinstance(value, models.fields.files.FieldFile) else value
        for name, value in data.items()
    }  # fmt: skip


def _files_in(model: Any) -> list[Any]:
    return [field for field in model._meta.concrete_fields if isinstance(field, models.FileField)]


def _write_file(archive: zipfile.ZipFile, name: str) -> None:
    storage = models.FileField().storage
    if storage.exists(name):
        with storage.open(name, "rb") as source, archive.open(f"files/{name}", "w", force_zip64=True) as target:
            for piece in iter(lambda: source.read(1 << 20), b""):
                target.write(piece)


# ---- in -------------------------------------------------------------------------------------------------------------


@transaction.atomic
def read_team(source: IO[bytes], *, same_people: bool = False) -> Team:
    """Read a team from an archive. Numbers that are free are kept, others moved up together, wherever they stand.

    With `same_people` a person of the same user name is the same; else everybody is made anew, by another name where
    theirs is taken. Raises CommandError on an archive that is none, that names what it does not hold, or that is of
    what is here already; nothing of it is kept then.
    """
    with zipfile.ZipFile(source) as archive:
        head = json.loads(archive.read("team.json"))
        if head.get("format") != _FORMAT:
            raise CommandError("This is no archive of a team that this release of Kessa can read.")
        tables = [*owned(), *(through for through, _ in joined())]
        written = {_FORMER.get(name, name) for name, many in head["rows"].items() if many}
        unknown = written - {model._meta.label_lower for model in tables}
        if unknown:
            raise CommandError(f"This release of Kessa does not know: {', '.join(sorted(unknown))}.")
        names = _Names(archive, tables)
        team = _new_team(head["team"])
        names.people = _people(json.loads(archive.read("people.json")), same_people)
        names.team = team.pk
        with kept_or_none(names.files):
            _keep_files(archive, names.files)
            for model in tables:
                insert_rows(model, (renamed(model, row, names) for row in _rows(archive, model)))
                number_after(model)
            fill_found_by(team.pk)
            if head.get("columns") == _columns() and head.get("digest") != digest(team):
                raise CommandError("What was read is not what was written: nothing of it is kept.")
    return team


class _Names:
    """By what each row, person and file of an archive is known here; what it names and does not hold is refused."""

    def __init__(self, archive: zipfile.ZipFile, tables: Iterable[Any]) -> None:
        self.people: dict[int, int] = {}
        self.files: dict[str, str] = {}
        self.team = 0
        self.up: dict[str, int] = {}
        self.held: dict[str, set[Any]] = {}
        for model in tables:
            label, pk = model._meta.label_lower, model._meta.pk
            numbers = {row[pk.attname] for row in _rows(archive, model)}
            self.held[label] = numbers
            taken = model._base_manager.filter(pk__any=list(numbers)).exists() if numbers else False
            if isinstance(pk, models.AutoField):
                self.up[label] = max(self._highest(model), self.up.get(label, 0)) if taken else self.up.get(label, 0)
            elif taken:
                raise CommandError(f"Some of this team's {model._meta.verbose_name_plural} are here already.")
            tracked = getattr(model, "instance_type", None)
            if tracked is not None:
                self._history(archive, model, tracked)

    def _history(self, archive: zipfile.ZipFile, history: Any, tracked: Any) -> None:
        """Let what is gone, too, come to a number that nothing here had."""
        name, label = tracked._meta.pk.attname, tracked._meta.label_lower
        numbers = {row[name] for row in _rows(archive, history)}
        if isinstance(tracked._meta.pk, models.AutoField) and (
            tracked._base_manager.filter(pk__in=numbers).exists()
            or history._base_manager.filter(**{f"{name}__in": numbers}).exists()
        ):
            before = history._base_manager.aggregate(highest=models.Max(name))["highest"] or 0
            self.up[label] = max(self._highest(tracked), before, self.up.get(label, 0))

    def _highest(self, model: Any) -> int:
        return model._base_manager.aggregate(highest=models.Max("pk"))["highest"] or 0

    def __call__(self, table: str, value: Any, *, gone: bool = False) -> Any:
        """Return what a row, person or file is known by here."""
        if table == TEAM:
            return self.team
        if table == FILE:
            return self._file(value)
        if table == PERSON and (value in self.people or gone):
            return self.people.get(value)
        if table != PERSON and (gone or value in self.held.get(table, ())):
            return value + self.up.get(table, 0) if isinstance(value, int) else value
        raise CommandError(f"This archive names {table} {str(value)[:40]}, and does not hold it: it is not read.")

    def _file(self, name: str) -> str:
        if name not in self.files and models.FileField().storage.exists(name):
            raise CommandError(f"This archive names the file {name[:80]}, and does not hold it: it is not read.")
        return self.files.get(name, name)


def _keep_files(archive: zipfile.ZipFile, kept: dict[str, str]) -> None:
    """Keep the files of an archive, and note the name that each has here."""
    storage = models.FileField().storage
    for name in archive.namelist():
        if name.startswith("files/"):
            own = name.removeprefix("files/")
            kept[own] = storage.save(own, ContentFile(archive.read(name)))


def _rows(archive: zipfile.ZipFile, model: Any) -> Iterator[dict[str, Any]]:
    label = model._meta.label_lower
    names = {f"rows/{each}.jsonl" for each in (label, *(old for old, now in _FORMER.items() if now == label))}
    columns = _FORMER_COLUMNS.get(label, {})
    for name in archive.namelist():
        if name in names:
            with archive.open(name) as table:
                for line in table:
                    yield {columns.get(key, key): value for key, value in json.loads(line).items()}


def _new_team(data: dict[str, Any]) -> Team:
    number = data.pop("id")
    team = Team(**data)
    if not Team.objects.filter(pk=number).exists():
        team.pk = number
    team.save(force_insert=True)
    number_after(Team)
    return team


def _people(given: list[dict[str, Any]], same: bool) -> dict[int, int]:
    found: dict[int, int] = {}
    for each in given:
        number, name = each["id"], each["username"]
        there = User.objects.filter(username=name).first()
        if there and same:
            found[number] = there.pk
            continue
        each["username"] = free_username(name)
        fields = {field.name: field for field in User._meta.concrete_fields}
        person = User(**{key: fields[key].to_python(each[key]) for key in _ABOUT_PEOPLE})
        if not User.objects.filter(pk=number).exists():
            person.pk = number
        person.save(force_insert=True)
        found[number] = person.pk
    number_after(User)
    return found


# ---- away -----------------------------------------------------------------------------------------------------------


def erase_team(team: Team) -> dict[str, int]:
    """Erase a team with everything in it, and whoever is of no other team; return how many rows of each table."""
    gone: dict[str, int] = defaultdict(int)
    files: list[str] = []
    with transaction.atomic():
        people = list(Membership.objects.filter(team=team).values_list("user", flat=True))
        through = [(model, rows) for model, rows in rows_of_team(team) if model._meta.auto_created]
        own = [(model, rows) for model, rows in rows_of_team(team) if not model._meta.auto_created]
        for model, rows in (*through, *own):
            for field in _files_in(model):
                files += [name for name in rows.values_list(field.name, flat=True) if name]
            gone[model._meta.label_lower] += rows._raw_delete(rows.db)
        own_team = Team.objects.filter(pk=team.pk)
        own_team._raw_delete(own_team.db)
        left = User.objects.filter(pk__in=people, memberships=None, is_superuser=False, is_staff=False)
        gone["people.user"] = left.count()
        left.delete()
    # Files go last: what is rolled back keeps its own.
    storage = models.FileField().storage
    for name in files:
        storage.delete(name)
    return dict(gone)
