"""What in the rows of a team names other rows: in columns, within JSON, beside the name of a kind."""

import json
from collections.abc import Iterator
from functools import cache
from typing import Any, Protocol

from django.apps import apps
from django.db import models

from kessa.record.people.models import Act, Team

TEAM, PERSON, FILE = "people.team", "people.user", "a file"
# Within what a row holds: by table and path, of which table it is.
_WITHIN = {
    ("actions.action", "results"): "log.result",
    ("api.answered", "body.results"): "log.result",
    ("exchange.import", "reading.place"): "places.place",
    ("exchange.matching", "reading.place"): "places.place",
    ("log.placestatus", "held"): "log.result",
    ("log.placestatus", "lifted"): "log.result",
    ("reports.report", "results"): "log.result",
    ("reports.report", "about.place"): "places.place",
    ("reports.report", "about.sample"): "visits.sample",
    ("log.result", "made_from.results"): "log.result",
    ("log.result", "made_from.notebook"): "exchange.import",
    ("log.result", "made_from.instrument"): "instruments.instrument",
    ("log.result", "made_from.visit"): "visits.visit",
    ("log.result", "made_from.taps"): "taps.tap",
    ("rounds.kitcheck", "places"): "places.place",
    ("taps.tap", "data.place"): "places.place",
    ("taps.tap", "data.sample"): "visits.sample",
    ("taps.tap", "data.continues"): "bench.determination",
    ("taps.tap", "data.instrument"): "instruments.instrument",
    ("taps.tap", "data.kit"): "kits.kit",
    ("taps.tap", "data.bottle"): "visits.bottle",
    ("taps.tap", "data.lots"): "kits.lot",
    ("taps.tap", "data.by"): PERSON,
    ("taps.tap", "data.taker"): PERSON,
    ("taps.tap", "data.phone_of"): PERSON,
}


class Rename(Protocol):
    """By what a row of a table is named instead; `gone` where it may be there no more."""

    def __call__(self, table: str, value: Any, *, gone: bool = False) -> Any:
        """Return the name."""


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


@cache
def _by_kind() -> dict[str, Any]:
    return {str(model._meta.verbose_name): model for model in owned()}


def renamed(model: Any, row: dict[str, Any], name: Rename) -> dict[str, Any]:
    """Return a row, as its columns are kept, with everything that names a row in it named by `name`."""
    label, tracked = model._meta.label_lower, getattr(model, "instance_type", None)
    row = dict(row)
    for column, table in _columns(model):
        if row.get(column) not in (None, ""):
            # What a row of history names may be gone since.
            row[column] = name(table, row[column], gone=tracked is not None and table not in (label, TEAM, PERSON))
    for (of, path), table in _WITHIN.items():
        if of == label:
            column, _, key = path.partition(".")
            if column in row:
                row[column] = _within(row[column], key, table, name)
    return row | _of_act(row, name) if model is Act else row


@cache
def _columns(model: Any) -> tuple[tuple[str, str], ...]:
    """Give the columns that name a row or a file, each with the table."""
    found, tracked = [], getattr(model, "instance_type", None)
    for field in model._meta.concrete_fields:
        related = getattr(field, "related_model", None)
        if isinstance(field, models.FileField):
            found.append((field.attname, FILE))
        elif related is not None:
            found.append((field.attname, related._meta.label_lower))
        elif field.primary_key:
            found.append((field.attname, model._meta.label_lower))
        elif tracked is not None and field.attname == tracked._meta.pk.attname:
            # A row of history names the row that it is the history of by its number alone.
            found.append((field.attname, tracked._meta.label_lower))
    return tuple(found)


def _within(held: Any, key: str, table: str, name: Rename) -> Any:
    if not key:
        return _each(held, table, name)
    if isinstance(held, str):
        try:
            return json.dumps(_within(json.loads(held), key, table, name))
        except ValueError:
            return held
    return held | {key: _each(held[key], table, name)} if isinstance(held, dict) and key in held else held


def _each(value: Any, table: str, name: Rename) -> Any:
    if isinstance(value, list):
        return [_each(each, table, name) for each in value]
    if isinstance(value, str) and value.isdecimal():
        return str(name(table, int(value)))
    return name(table, value) if value not in (None, "") and not isinstance(value, dict | bool | float) else value


def _of_act(row: dict[str, Any], name: Rename) -> dict[str, Any]:
    """What an act was on, and what it changed there, by the names of columns: any of it may be gone."""
    model = _by_kind().get(row["on_kind"])
    if model is None:
        return {}
    changed = dict(row["changes"])
    for column, table in _columns(model):
        if column in changed and table != FILE:
            changed[column] = [each if each in (None, "") else name(table, each, gone=True) for each in changed[column]]
    number = row["on_id"]
    if number.isdecimal():
        number = str(name(model._meta.label_lower, int(number), gone=True))
    return {"on_id": number, "changes": changed}


def people_in(model: Any, row: dict[str, Any]) -> Iterator[int]:
    """Give the numbers of everybody who is named in a row."""
    found: list[int] = []

    def note(table: str, value: Any, *, gone: bool = False) -> Any:
        del gone
        if table == PERSON:
            found.append(value)
        return value

    renamed(model, row, note)
    yield from found
