"""What in the rows of a team names other rows: in columns, within JSON, beside the name of a kind."""

import json
import re
from collections.abc import Callable, Iterator
from functools import cache, partial
from typing import Any, Protocol

from django.apps import apps
from django.db import models

from kessa.record.people.models import Act, Team

TEAM, PERSON, FILE = "people.team", "people.user", "a file"
_UUID = re.compile(r"[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}")
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
    ("reports.report", "about.visit"): "visits.visit",
    ("log.result", "made_from.results"): "log.result",
    ("log.result", "made_from.notebook"): "exchange.import",
    ("log.result", "made_from.instrument"): "instruments.instrument",
    ("log.result", "made_from.visit"): "visits.visit",
    ("log.result", "made_from.taps"): "taps.tap",
    ("rounds.kitcheck", "places"): "places.place",
    ("taps.tap", "data.place"): "places.place",
    ("taps.tap", "data.sample"): "visits.sample",
    ("taps.tap", "data.continues"): "bench.determination",
    ("taps.tap", "data.supersedes"): "bench.determination",
    ("taps.tap", "data.of"): "taps.tap",
    ("taps.tap", "data.shown"): "instruments.receivedreading",
    ("taps.tap", "data.lot"): "kits.lot",
    ("taps.tap", "data.instrument"): "instruments.instrument",
    ("taps.tap", "data.kit"): "kits.kit",
    ("taps.tap", "data.bottle"): "visits.bottle",
    ("taps.tap", "data.lots"): "kits.lot",
    ("taps.tap", "data.by"): PERSON,
    ("taps.tap", "data.taker"): PERSON,
    ("taps.tap", "data.phone_of"): PERSON,
}
# Where a number is written as text; elsewhere text is text, such as what stood on a bottle.
_AS_TEXT = ("exchange.import", "exchange.matching")
# A tap that takes back another may name none.
_MAY_BE_GONE = {("taps.tap", "data.of")}


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
                gone = (of, path) in _MAY_BE_GONE
                row[column] = _within(
                    row[column], key, partial(_each, table=table, name=name, gone=gone, text=of in _AS_TEXT)
                )
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


def _within(held: Any, key: str, each: Callable[[Any], Any]) -> Any:
    if not key:
        return each(held)
    if isinstance(held, str):
        try:
            return json.dumps(_within(json.loads(held), key, each))
        except ValueError:
            return held
    return held | {key: each(held[key])} if isinstance(held, dict) and key in held else held


def _each(value: Any, table: str, name: Rename, *, gone: bool, text: bool) -> Any:
    """Return a number, an identifier or a list of them by other names; whatever else stands there, as it is."""
    if isinstance(value, list):
        return [_each(each, table, name, gone=gone, text=text) for each in value]
    if text:
        return str(name(table, int(value))) if isinstance(value, str) and value.isdecimal() else value
    if isinstance(value, bool) or not (isinstance(value, int) or (isinstance(value, str) and _UUID.fullmatch(value))):
        return value
    return name(table, value, gone=gone)


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
