"""Writing the record as files: a data package, a workbook, JSON lines, a map. Steady in memory."""

import csv
import io
import json
import shutil
import zipfile
from collections.abc import Callable, Iterable, Iterator
from datetime import UTC, date, datetime
from typing import IO, Any, NamedTuple

from django.db.models import FileField
from openpyxl import Workbook

from kessa.record.exports.models import LICENCES
from kessa.record.exports.moment import Moment
from kessa.record.exports.resources import Column, Resource, rows_of
from kessa.record.people.models import Team
from kessa.record.places.models import Place
from kessa.record.results.export import harmless
from kessa.record.results.models import Result

# Told after every so many rows; what it raises ends the writing.
Tell = Callable[[int], None]
# As many rows as a sheet of a workbook holds, its head among them.
_SHEET = 1_048_576
_CELL = 32_767


class Asked(NamedTuple):
    """What of a team's record is asked for: which nouns, all of it or what belongs to some results, of which moment."""

    team: Team
    nouns: tuple[Resource, ...]
    results: Any | None
    moment: Moment
    tell: Tell


def write_package(out: IO[bytes], asked: Asked, licence: str = "") -> None:
    """Write a Data Package (frictionless standards): its descriptor, a CSV table for each noun, the files they name."""
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=3) as package:
        package.writestr("datapackage.json", json.dumps(descriptor(asked, licence), indent=2, ensure_ascii=False))
        for noun in asked.nouns:
            with package.open(f"data/{noun.name}.csv", "w", force_zip64=True) as table:
                text = io.TextIOWrapper(table, encoding="utf-8", newline="")
                writer = csv.writer(text)
                writer.writerow([column.name for column in noun.table])
                for piece in _pieces(noun, asked):
                    writer.writerows([harmless(_cell(value)) for value in row] for row in piece)
                text.flush()
                text.detach()
        _write_files(package, asked)


def _write_files(package: zipfile.ZipFile, asked: Asked) -> None:
    """Write the photographs by the names that their table has for them, and reports as they were issued."""
    by_name = {noun.name: noun.rows(asked.team, asked.results) for noun in asked.nouns}
    with asked.moment.reading():
        names = list(by_name["photographs"].order_by("pk").values_list("image", flat=True))
        numbers = list(by_name["reports"].order_by("pk").values_list("pk", flat=True))
    storage = FileField().storage
    for name in filter(storage.exists, names):
        with storage.open(name, "rb") as source, package.open(f"files/{name}", "w") as target:
            shutil.copyfileobj(source, target)
        asked.tell(0)
    for number in numbers:
        with asked.moment.reading():
            report = by_name["reports"].get(pk=number)
        package.writestr(f"files/report-{report.number}.html", report.document)


def descriptor(asked: Asked, licence: str = "") -> dict[str, Any]:
    """Return what a data package says of itself."""
    data: dict[str, Any] = {
        "name": "kessa",
        "title": f"Water tested by {asked.team}",
        "created": datetime.now(UTC).isoformat(timespec="seconds"),
        "description": "Text that begins with = + - or @ has ' before it: no spreadsheet takes it for a formula. "
        "Of a result, 19 times in 20 the truth lies between low and high; a high that is missing was over the range. "
        "Those of the method class taken-in are as another record had them, or half of the last digit.",
        "resources": [_resource(noun) for noun in asked.nouns],
    }
    if licence:
        data["licenses"] = [{"name": licence, "title": LICENCES[licence]}]
    return data


def _resource(noun: Resource) -> dict[str, Any]:
    keys = [
        # A table names itself by nothing.
        {"fields": [column], "reference": {"resource": other if other != noun.name else "", "fields": ["id"]}}
        for column, other in noun.refers.items()
    ]
    return {
        "name": noun.name,
        "path": f"data/{noun.name}.csv",
        "format": "csv",
        "mediatype": "text/csv",
        "encoding": "utf-8",
        "schema": {
            "fields": [_field(column) for column in noun.table],
            "missingValues": [""],
            "primaryKey": ["id"],
            "foreignKeys": keys,
        },
    }


def _field(column: Column) -> dict[str, str]:
    data = {"name": column.name, "type": column.type, "unit": column.unit}
    if column.type == "datetime":
        data["format"] = "any"
    return {name: each for name, each in data.items() if each}


def write_workbook(out: IO[bytes], asked: Asked) -> None:
    """Write a workbook with a sheet for each noun; what is more than a sheet holds goes on in the next."""
    book = Workbook(write_only=True)
    for noun in asked.nouns:
        heads, full, number = [column.name for column in noun.table], _SHEET, 0
        for piece in _pieces(noun, asked):
            for row in piece:
                if full >= _SHEET:
                    number += 1
                    sheet, full = book.create_sheet(noun.name + (f" {number}" if number > 1 else "")), 1
                    sheet.append(heads)
                sheet.append([_in_sheet(value) for value in row])
                full += 1
        if not number:
            book.create_sheet(noun.name).append(heads)
    book.save(out)


def write_lines(out: IO[bytes], asked: Asked) -> None:
    """Write a JSON object a line, each with the noun it is a row of."""
    for noun in asked.nouns:
        names = [column.name for column in noun.table]
        for piece in _pieces(noun, asked):
            lines = (
                json.dumps({"noun": noun.name} | dict(zip(names, map(_plain, row), strict=True)), ensure_ascii=False)
                for row in piece
            )
            out.write("".join(f"{line}\n" for line in lines).encode())


def write_map(out: IO[bytes], asked: Asked) -> None:
    """Write the places that have coordinates as GeoJSON (RFC 7946), each with the newest result of each test."""
    rows = Place.objects.for_team(asked.team).filter(latitude__isnull=False).order_by("pk")
    if asked.results is not None:
        rows = rows.filter(pk__in=asked.results.order_by().values("place"))
    found = Result.objects.for_team(asked.team).current() if asked.results is None else asked.results
    out.write(b'{"type": "FeatureCollection", "features": [')
    with asked.moment.reading():
        places = list(rows)
    for nth, place in enumerate(places):
        asked.tell(1)
        with asked.moment.reading():
            newest = list(_newest(found, place))
        feature = {
            "type": "Feature",
            "id": place.pk,
            "geometry": {"type": "Point", "coordinates": [place.longitude, place.latitude]},
            "properties": {"name": place.name, "kind": place.kind_key, "results": newest},
        }
        out.write((b",\n" if nth else b"\n") + json.dumps(feature, ensure_ascii=False).encode())
    out.write(b"\n]}\n")


def _newest(results: Any, place: Place) -> Iterator[dict[str, Any]]:
    names = ("parameter", "fraction", "value", "low", "high", "censor", "unit", "form", "verdict", "taken_at")
    series = ("parameter", "fraction", "method_class")
    newest = results.filter(place=place).order_by(*series, "-taken_at", "-pk").distinct(*series)
    for row in newest.values_list(*names):
        yield dict(zip(names, map(_plain, row), strict=True))


def _pieces(noun: Resource, asked: Asked) -> Iterable[list[tuple[Any, ...]]]:
    for piece in rows_of(noun, asked.team, asked.results, asked.moment):
        yield piece
        asked.tell(len(piece))


def _plain(value: Any) -> Any:
    """Return a value as JSON has it."""
    if isinstance(value, datetime | date):
        return value.isoformat()
    return value if isinstance(value, str | int | float | bool | list | dict | None) else _number(value)


def _number(value: Any) -> Any:
    """Decimal numbers become numbers, identifiers text."""
    return float(value) if hasattr(value, "as_tuple") else str(value)


def _cell(value: Any) -> Any:
    """Return a value as a CSV table has it: nothing as nothing, lists and objects as JSON."""
    plain = _plain(value)
    if isinstance(plain, list | dict):
        return json.dumps(plain, ensure_ascii=False)
    if isinstance(plain, bool):
        return "true" if plain else "false"
    return "" if plain is None else plain


def _in_sheet(value: Any) -> Any:
    """Return a value as a sheet has it: times without a zone are in UTC, long text is cut where a cell ends."""
    if isinstance(value, datetime):
        return value.astimezone(UTC).replace(tzinfo=None)
    cell = value if isinstance(value, date | bool) else _cell(value)
    if not isinstance(cell, str):
        return cell
    # What a sheet cannot hold at all is left out of it.
    return harmless("".join(letter for letter in cell if letter in "\t\n\r" or letter >= " ")[: _CELL - 1])
