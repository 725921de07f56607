"""What of a team's record is given to other programs, noun by noun; the nouns themselves are in resources.toml."""

import re
from collections.abc import Iterator
from functools import cached_property
from pathlib import Path
from typing import Any, NamedTuple, Self

from django.apps import apps
from django.core.exceptions import FieldError
from django.db.models import QuerySet
from pydantic import model_validator

from kessa.core.checked import Checked
from kessa.core.datafile import data_file, read_toml
from kessa.record.people.models import Team

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
    """A table: its rows are those of a model. `refers` says of which noun a column holds the id."""

    name: str
    model: str
    columns: tuple[str, ...]
    refers: dict[str, str] = {}
    joins: str = ""

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
        rows: QuerySet[Any] = model.objects.for_team(team)
        if results is None or not self.joins:
            return rows
        theirs, _, of_results = self.joins.partition("=")
        return rows.filter(**{f"{theirs}__in": results.order_by().values(of_results)})


class _Nouns(Checked):
    nouns: tuple[Resource, ...]


@data_file
def resources() -> tuple[Resource, ...]:
    """Return every noun, each after those it refers to; raises BadDataFile on a faulty file."""
    return read_toml(Path(__file__).with_suffix(".toml"), _Nouns).nouns


def rows_of(noun: Resource, team: Team | int, results: Any | None) -> Iterator[list[tuple[Any, ...]]]:
    """Give the rows of a noun, so many at a time, in the order of their ids: steady in memory whatever their number."""
    rows = noun.rows(team, results).order_by("pk")
    last: Any = None
    while True:
        after = rows if last is None else rows.filter(pk__gt=last)
        piece = list(after.values_list(*noun.paths)[:AT_ONCE])
        if piece:
            yield piece
            last = piece[-1][0]
        if len(piece) < AT_ONCE:
            return
