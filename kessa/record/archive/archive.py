"""A team as a whole: written into one archive, read back here or elsewhere, erased."""

import base64
import json
import zipfile
from collections import defaultdict
from collections.abc import Iterable, Iterator
from datetime import datetime
from typing import IO, Any

from django.apps import apps
from django.core.files.base import ContentFile
from django.core.management import CommandError
from django.core.serializers.json import DjangoJSONEncoder
from django.db import connection, models, transaction

from kessa.record.people.models import Membership, Team, User

_FORMAT = 1
_AT_ONCE = 2000
_PERSON = ("username", "first_name", "last_name", "email", "password", "is_active", "date_joined", "concentration_unit",
           "temperature_unit", "hardness_unit", "amount_system")  # fmt: skip
# Where numbers of rows stand within what a row holds: by table and path, of which table they are.
_WITHIN = {
    ("actions.action", "results"): "log.result",
    ("log.placestatus", "held"): "log.result",
    ("log.placestatus", "lifted"): "log.result",
    ("reports.report", "results"): "log.result",
    ("reports.report", "about.place"): "places.place",
    ("log.result", "made_from.results"): "log.result",
    ("log.result", "made_from.notebook"): "exchange.import",
    ("log.result", "made_from.instrument"): "instruments.instrument",
    ("rounds.kitcheck", "places"): "places.place",
    ("taps.tap", "data.place"): "places.place",
    ("taps.tap", "data.instrument"): "instruments.instrument",
    ("taps.tap", "data.kit"): "kits.kit",
    ("taps.tap", "data.bottle"): "visits.bottle",
    ("taps.tap", "data.lots"): "kits.lot",
    ("taps.tap", "data.by"): "people.user",
    ("taps.tap", "data.taker"): "people.user",
    ("taps.tap", "data.phone_of"): "people.user",
}


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


def owned() -> list[Any]:
    """Return every table whose rows belong to a team, their histories among them, in the order of their names."""
    found = [
        model
        for model in apps.get_models()
        if any(
            field.name == "team" and getattr(field, "related_model", None) is Team
            for field in model._meta.concrete_fields
        )
    ]
    return sorted(found, key=lambda model: model._meta.label_lower)


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
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        files: list[str] = []
        for model, rows in rows_of_team(team):
            with archive.open(f"rows/{model._meta.label_lower}.jsonl", "w", force_zip64=True) as table:
                number = 0
                for row in rows.order_by("pk").iterator(chunk_size=_AT_ONCE):
                    table.write(json.dumps(_as_kept(row), cls=_Exactly).encode() + b"\n")
                    number += 1
                    people |= {getattr(row, each.attname) for each in _of_people(model)}
                    files += [getattr(row, each.name).name for each in _files_in(model) if getattr(row, each.name)]
            counts[model._meta.label_lower] = number
        for name in files:
            _write_file(archive, name)
        known = User.objects.filter(pk__in=people - {None}).order_by("pk")
        archive.writestr(
            "people.json",
            json.dumps(
                [{"id": each.pk} | {name: getattr(each, name) for name in _PERSON} for each in known],
                cls=_Exactly,
            ),
        )
        archive.writestr(
            "team.json", json.dumps({"format": _FORMAT, "team": _as_kept(team), "rows": counts}, cls=_Exactly)
        )
    return counts


def _as_kept(row: Any) -> dict[str, Any]:
    data = {field.attname: field.value_from_object(row) for field in row._meta.concrete_fields}
    return {
        name: base64.b64encode(bytes(value)).decode() if isinstance(value, bytes | memoryview)
        else value.name if isinstance(value, models.fields.files.FieldFile) else value
        for name, value in data.items()
    }  # fmt: skip


def _of_people(model: Any) -> list[Any]:
    return [field for field in model._meta.concrete_fields if getattr(field, "related_model", None) is User]


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
    theirs is taken. Raises CommandError on an archive that is none, or of what is here already.
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
        ids = _Numbers(archive, tables)
        team = _new_team(head["team"])
        ids.people = _people(json.loads(archive.read("people.json")), same_people)
        ids.team = team.pk
        for model in tables:
            _insert(model, (ids.moved(model, row) for row in _rows(archive, model)))
            _after(model)
        storage = models.FileField().storage
        for name in archive.namelist():
            if name.startswith("files/") and not storage.exists(name.removeprefix("files/")):
                storage.save(name.removeprefix("files/"), ContentFile(archive.read(name)))
    return team


class _Numbers:
    """How far the numbers of each table are moved up, and who becomes whom."""

    def __init__(self, archive: zipfile.ZipFile, tables: Iterable[Any]) -> None:
        self.people: dict[int, int] = {}
        self.team = 0
        self.up: dict[str, int] = {}
        for model in tables:
            pk = model._meta.pk
            numbers = [row[pk.attname] for row in _rows(archive, model)]
            taken = model._base_manager.filter(pk__any=numbers).exists() if numbers else False
            if not isinstance(pk, models.AutoField):
                if taken:
                    raise CommandError(f"Some of this team's {model._meta.verbose_name_plural} are here already.")
                continue
            highest = model._base_manager.aggregate(highest=models.Max("pk"))["highest"] or 0
            self.up[model._meta.label_lower] = highest if taken else 0

    def of(self, label: str, number: Any) -> Any:
        """Return the number that a row of a table has here."""
        if label == "people.user":
            return self.people.get(number, number)
        return number + self.up.get(label, 0) if isinstance(number, int) else number

    def moved(self, model: Any, row: dict[str, Any]) -> dict[str, Any]:
        """Return a row with every number in it as it is here."""
        label = model._meta.label_lower
        for field in model._meta.concrete_fields:
            related = getattr(field, "related_model", None)
            if field.primary_key:
                row[field.attname] = self.of(label, row[field.attname])
            elif related is Team:
                row[field.attname] = self.team
            elif related is not None:
                row[field.attname] = self.of(related._meta.label_lower, row[field.attname])
        # A row of history names the row that it is the history of by its number alone.
        tracked = getattr(model, "instance_type", None)
        if tracked is not None:
            name = tracked._meta.pk.attname
            row[name] = self.of(tracked._meta.label_lower, row[name])
        for (of, path), other in _WITHIN.items():
            if of == label:
                self._within(row, path, other)
        return row

    def _within(self, row: dict[str, Any], path: str, other: str) -> None:
        name, _, key = path.partition(".")
        held, key = (row[name], key) if key else (row, name)
        if isinstance(held, dict) and key in held:
            value = held[key]
            held[key] = [self.of(other, each) for each in value] if isinstance(value, list) else self.of(other, value)


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
    _after(Team)
    return team


def _people(given: list[dict[str, Any]], same: bool) -> dict[int, int]:
    found: dict[int, int] = {}
    for each in given:
        number, name = each.pop("id"), each["username"]
        there = User.objects.filter(username=name).first()
        if there and same:
            found[number] = there.pk
            continue
        nth = 2
        while User.objects.filter(username=each["username"]).exists():
            each["username"], nth = f"{name}-{nth}", nth + 1
        fields = {field.name: field for field in User._meta.concrete_fields}
        person = User(**{key: fields[key].to_python(value) for key, value in each.items()})
        if not User.objects.filter(pk=number).exists():
            person.pk = number
        person.save(force_insert=True)
        found[number] = person.pk
    _after(User)
    return found


def _insert(model: Any, rows: Iterable[dict[str, Any]]) -> None:
    """Insert rows as they were: without what a model fills in by itself."""
    fields = model._meta.concrete_fields
    quote = connection.ops.quote_name
    columns, marks = ", ".join(quote(field.column) for field in fields), ", ".join("%s" for _ in fields)
    statement = f"INSERT INTO {quote(model._meta.db_table)} ({columns}) VALUES ({marks})"  # noqa: S608 # names of our own
    batch: list[list[Any]] = []
    with connection.cursor() as cursor:
        for row in rows:
            # What an older release did not know is as it is where nothing was said.
            batch.append([_prepared(field, row.get(field.attname, field.get_default())) for field in fields])
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


def _after(model: Any) -> None:
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
