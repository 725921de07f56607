"""Reading files that others wrote: tables as text, workbooks, and data packages of Kessa's own.

It is run by itself, by tables.py, so that whatever a file does to it ends with it: the file comes in, what is read goes
out, a line of JSON each: first the names of the sheets, then each row with its number.
"""

import csv
import io
import json
import os
import resource
import sys
import zipfile
from collections.abc import Iterator
from datetime import date, datetime, time
from typing import IO, Any
from zoneinfo import ZoneInfo

from django.utils import timezone
from django.utils.dateparse import parse_datetime

# Before a number that a workbook holds as such.
TYPED = "="
# Each row by its number in the file, as text.
Rows = Iterator[tuple[int, list[str]]]
_CELLS, _CELL, _SAMPLE = 200, 500, 100_000
# Bytes that reading may take, whatever a file says of itself.
MEMORY = 180_000_000
_ENCODINGS = ("utf-8-sig", "utf-16", "cp1252")
# What a package's results are read as: the columns of one table.
_OF_PACKAGE = ("place", "date", "test", "fraction", "value", "unit", "form", "low", "high")


def _read(file: IO[bytes], sheet: str, zone: ZoneInfo) -> Iterator[Any]:
    """Give the names of a workbook's sheets, none of another file's, then all rows of the table."""
    start = file.read(4)
    file.seek(0)
    if not start.startswith(b"PK"):
        yield []
        yield from _from_text(file)
        return
    with zipfile.ZipFile(file) as package:
        if "datapackage.json" in package.namelist():
            yield []
            yield from _from_package(package, zone)
            return
    from openpyxl import load_workbook  # noqa: PLC0415 # half a second that a text file does not need

    book = load_workbook(file, read_only=True, data_only=True)
    yield [each.title for each in book.worksheets]
    rows = (book[sheet] if sheet else book.worksheets[0]).iter_rows(values_only=True)
    for nth, row in enumerate(rows, 1):
        yield nth, [_said(cell) for cell in row[:_CELLS]]


def _from_package(package: zipfile.ZipFile, zone: ZoneInfo) -> Rows:
    """Read the results of a data package that Kessa wrote, with the names of their places."""
    data = json.loads(package.read("datapackage.json"))
    paths = {each["name"]: each["path"] for each in data["resources"]}
    places = {row["id"]: row["name"] for row in _table(package, paths["places"])}
    ended = {
        row["result"]
        for row in _table(package, paths["marks"])
        if row["flag"] in ("superseded", "set-aside") and not row["lifted_at"]
    }
    yield 1, list(_OF_PACKAGE)
    for nth, row in enumerate(_table(package, paths["results"]), 2):
        if row["id"] in ended or row["method_class"] == "derived" or row["unit"] == "presence":
            continue
        number = f"{row['censor']}{row['value']}"
        at = parse_datetime(row["drawn_at"])
        # As the team's clock showed it.
        drawn = timezone.localtime(at, zone).isoformat(sep=" ") if at else row["drawn_at"]
        names = ("parameter", "fraction"), ("unit", "form", "low", "high")
        first, last = ([row[name] for name in each] for each in names)
        yield nth, [places[row["place"]].removeprefix("'"), drawn, *first, number, *last]


def _table(package: zipfile.ZipFile, path: str) -> Iterator[dict[str, str]]:
    with package.open(path) as table:
        yield from csv.DictReader(io.TextIOWrapper(table, encoding="utf-8", newline=""))


def _from_text(file: IO[bytes]) -> Rows:
    sample = file.read(_SAMPLE)
    file.seek(0)
    if len(sample) == _SAMPLE and not {10, 13} & set(sample):
        raise ValueError("no lines")
    encoding = next(each for each in _ENCODINGS if _decodes(sample, each))
    text = io.TextIOWrapper(file, encoding=encoding, newline="", errors="replace")
    try:
        start = sample.decode(encoding, errors="replace")
        parted = max(
            ";\t,|",
            key=lambda mark: min((line.count(mark) for line in start.splitlines()[:5] if line.strip()), default=0),
        )
        for nth, row in enumerate(csv.reader(text, delimiter=parted), 1):
            yield nth, [cell.strip()[:_CELL].removeprefix("'") for cell in row[:_CELLS]]
    finally:
        text.detach()


def _decodes(sample: bytes, encoding: str) -> bool:
    if encoding == "utf-16" and not sample.startswith((b"\xff\xfe", b"\xfe\xff")):
        return False
    try:
        sample[:-4].decode(encoding)
    except UnicodeError:
        return encoding == _ENCODINGS[-1]
    return True


def _said(cell: Any) -> str:
    """Return a cell of a workbook as it would be written."""
    if cell is None:
        return ""
    if isinstance(cell, datetime):
        return cell.isoformat(sep=" ", timespec="seconds") if cell.time() != time(0) else cell.date().isoformat()
    if isinstance(cell, date | time):
        return cell.isoformat()
    if isinstance(cell, float):
        # A number by itself has no decimal mark: whatever the mark of what is text, its point is one.
        return f"{TYPED}{cell:.10g}"
    return str(cell).strip()[:_CELL].removeprefix("'")


def main(sheet: str, zone: str, seconds: str) -> int:
    """Read what comes in, within bounds; whether that came to an end."""
    resource.setrlimit(resource.RLIMIT_CPU, (int(seconds), int(seconds)))
    resource.setrlimit(resource.RLIMIT_DATA, (MEMORY, MEMORY))
    with os.fdopen(0, "rb") as file:
        try:
            for said in _read(file, sheet, ZoneInfo(zone)):
                sys.stdout.write(f"{json.dumps(said)}\n")
        except MemoryError:
            return 1
        except Exception:  # whatever a file does to its reader, it is no table
            sys.stdout.write('"no table"\n')
    return 0


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:]))
