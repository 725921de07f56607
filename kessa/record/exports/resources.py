"""What of a team's record is given to other programs, noun by noun; the nouns themselves are in resources.toml."""

import re
from collections.abc import Iterator
from functools import cached_property
from pathlib import Path
from typing import Any, NamedTuple, Self

from django.apps import apps
from django.core.exceptions import FieldError
from django.db.models import Q, QuerySet
from pydantic import model_validator

from kessa.core.checked import Checked
from kessa.core.datafile import data_file, read_toml
from kessa.record.exports.moment import Moment
from kessa.record.people.models import Role, Team, User
from kessa.record.taps.models import Tap
from kessa.record.visits.models import Sample

# So many rows are held in memory at once.
AT_ONCE = 2000
_COLUMN = re.compile(r"(?P<name>\w+)(?:: (?P<type>\w+))?(?: = (?P<path>\w+))?(?: \[(?P<unit>[^\]]+)\])?")


class Column(NamedTuple):
    """A column: its name, its type as a Table Schema calls it, where it stands in the record, in what unit."""

    name: str
    type: str
    path: str
    unit: str


class Resource(Checked):
    """A table: its rows are those of a model. `refers` says of which noun a column holds the id.

    `joins` says which rows belong to results that are asked for: "visit=visit", by their visit; with "and" and "or".
    `team` is by which way a row belongs to a team.
    """

    name: str
    model: str
    columns: tuple[str, ...]
    refers: dict[str, str] = {}
    joins: str = ""
    team: str = "team"
    coordinators: bool = False

    @model_validator(mode="after")
    def _columns_can_be_read(self) -> Self:
        wrong = [each for each in self.columns if not _COLUMN.fullmatch(each)]
        if wrong or not self.columns[0].startswith("id"):
            raise ValueError(f"columns: {wrong or 'the first is the id'}")
        try:
            apps.get_model(self.model)._base_manager.values_list(*self.paths)
        except (LookupError, FieldError) as wrong_name:
            raise ValueError(f"{self.name}: {wrong_name}") from wrong_name
        return self

    @cached_property
    def table(self) -> list[Column]:
        """Its columns, the id first."""
        read = [found.groupdict() for found in map(_COLUMN.fullmatch, self.columns) if found]
        return [
            Column(each["name"], each["type"] or "string", each["path"] or each["name"], each["unit"] or "")
            for each in read
        ]

    @property
    def paths(self) -> list[str]:
        """Where its columns stand in the record."""
        return [column.path for column in self.table]

    def rows(self, team: Team | int, results: Any | None) -> QuerySet[Any]:
        """Return the rows of a team; where only some results are asked for, those that belong to them."""
        model: Any = apps.get_model(self.model)
        if self.team != "team":
            rows: QuerySet[Any] = model._base_manager.filter(**{self.team: team})
        else:
            rows = _named_by(team) if model is User else model.objects.for_team(team)
        if results is None or not self.joins:
            return rows
        found = Q()
        for way in self.joins.split(" or "):
            pairs = [each.split("=") for each in way.split(" and ")]
            theirs = ((mine, results.order_by().exclude(**{of: None}).values(of)) for mine, of in pairs)
            found |= Q(**{f"{mine}__in": of_results for mine, of_results in theirs})
        return rows.filter(found)

    def open_to(self, role: str) -> bool:
        """Whether a member in this role reads it."""
        return role == Role.COORDINATOR or not self.coordinators

    def can_lack(self, column: str) -> bool:
        """Whether a column that holds an id may be empty."""
        model: Any = apps.get_model(self.model)
        names = next(each.path for each in self.table if each.name == column).removesuffix("_id").split("__")
        fields = [model._meta.get_field(names[0])]
        for name in names[1:]:
            fields.append(fields[-1].related_model._meta.get_field(name))
        return any(field.null for field in fields)


def _named_by(team: Team | int) -> QuerySet[Any]:
    """Return everybody who is a member, or whom samples and taps name."""
    named = Q(pk__in=Sample.objects.for_team(team).exclude(drawn_by=None).values("drawn_by"))
    named |= Q(pk__in=Tap.objects.for_team(team).values("person"))
    return User.objects.filter(Q(memberships__team=team) | named).distinct()


class _Nouns(Checked):
    nouns: tuple[Resource, ...]

    @model_validator(mode="after")
    def _what_is_referred_to_is_there(self) -> Self:
        """A part of the record must hold whatever its rows cannot do without."""
        before: dict[str, Resource] = {}
        for noun in self.nouns:
            before[noun.name] = noun
            for column, other in noun.refers.items():
                if other not in before:
                    raise ValueError(f"{noun.name}: {column} refers to {other}, which does not come before it")
                if before[other].joins and not noun.joins and not noun.can_lack(column):
                    raise ValueError(f"{noun.name}: say by joins which rows belong to some of the {other}")
        return self


@data_file
def resources() -> tuple[Resource, ...]:
    """Return every noun, each after those it refers to; raises BadDataFile on a faulty file."""
    return read_toml(Path(__file__).with_suffix(".toml"), _Nouns).nouns


def number_of(noun: Resource, team: Team | int, results: Any | None, moment: Moment) -> int:
    """Return how many rows of a noun belong to a team, or to the results that are asked for."""
    if _is_part(noun, results):
        return len(_asked_for(noun, team, results, moment))
    with moment.reading():
        return noun.rows(team, None).count()


def rows_of(noun: Resource, team: Team | int, results: Any | None, moment: Moment) -> Iterator[list[tuple[Any, ...]]]:
    """Give the rows of a noun, so many at a time, in the order of their ids.

    Of all of a team only so many are held in memory, of those of some results their ids. An id of a row that does not
    belong to the results that are asked for is left out.
    """
    rows = noun.rows(team, None).order_by("pk")
    by_name = {each.name: each for each in resources()}
    others = ((nth, column, by_name.get(noun.refers.get(column.name, ""))) for nth, column in enumerate(noun.table))
    among = {
        nth: frozenset(_asked_for(other, team, results, moment))
        for nth, column, other in others
        if other and _is_part(other, results) and noun.can_lack(column.name)
    }
    if _is_part(noun, results):
        pieces = _by_ids(rows, _asked_for(noun, team, results, moment), noun.paths, moment)
    else:
        pieces = _one_after_another(rows, noun.paths, moment)
    for piece in pieces:
        yield (
            [
                tuple(None if nth in among and cell not in among[nth] else cell for nth, cell in enumerate(row))
                for row in piece
            ]
            if among
            else piece
        )


def _is_part(noun: Resource, results: Any | None) -> bool:
    """Whether of a noun only those rows are given that belong to some results."""
    return results is not None and bool(noun.joins)


def _asked_for(noun: Resource, team: Team | int, results: Any, moment: Moment) -> list[Any]:
    """Return the ids of the rows that belong to some results: found once, as to find them takes long."""
    if noun.name not in moment.asked_for:
        with moment.reading():
            found = noun.rows(team, results).order_by("pk").values_list("pk", flat=True)
            moment.asked_for[noun.name] = list(found)
    return moment.asked_for[noun.name]


def _by_ids(rows: Any, ids: list[Any], paths: list[str], moment: Moment) -> Iterator[list[tuple[Any, ...]]]:
    for at in range(0, len(ids), AT_ONCE):
        with moment.reading():
            piece = list(rows.filter(pk__any=ids[at : at + AT_ONCE]).values_list(*paths))
        yield piece


def _one_after_another(rows: Any, paths: list[str], moment: Moment) -> Iterator[list[tuple[Any, ...]]]:
    last: Any = None
    while True:
        after = rows if last is None else rows.filter(pk__gt=last)
        with moment.reading():
            piece = list(after.values_list(*paths)[:AT_ONCE])
        if piece:
            yield piece
            last = piece[-1][0]
        if len(piece) < AT_ONCE:
            return
