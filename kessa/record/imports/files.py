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
from collections import Counter
from collections.abc import Iterator
from datetime import date, datetime, time
from functools import partial
from typing import IO, Any
from zoneinfo import ZoneInfo

from django.utils import timezone
from django.utils.dateparse import parse_datetime

# Before a number that a workbook holds as such.
TYPED = "="
# What comes last where a file cannot be read to its end.
NO_TABLE, TOO_WIDE = "no table", "too many columns"
# Each row by its number in the file, as text.
Rows = Iterator[tuple[int, list[str]]]
_CELL, _SAMPLE, _FIRST_LINES = 500, 100_000, 20
# So many columns a page can ask about.
MOST_COLUMNS = 150
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
        sheets = [each for each in package.namelist() if each.startswith("xl/worksheets/") and each.endswith(".xml")]
        has_formulas = any(_has_formulas(package, each) for each in sheets)
    from openpyxl import load_workbook  # noqa: PLC0415 # half a second that a text file does not need

    book = load_workbook(file, read_only=True, data_only=True)
    yield [each.title for each in book.worksheets]
    name = sheet or book.worksheets[0].title
    rows = book[name].iter_rows(values_only=True)
    if has_formulas:
        formulas = load_workbook(file, read_only=True)[name].iter_rows(values_only=True)
        rows = (map(_computed, *each) for each in zip(rows, formulas, strict=False))
    for nth, row in enumerate(rows, 1):
        yield nth, _few([_said(cell) for cell in row])


def _has_formulas(package: zipfile.ZipFile, sheet: str) -> bool:
    """Whether a sheet computes anything: only then it is read a second time."""
    end = b""
    with package.open(sheet) as text:
        while piece := text.read(1 << 20):
            if b"<f>" in end + piece or b"<f " in end + piece:
                return True
            end = piece[-2:]
    return False


def _computed(value: Any, formula: Any) -> Any:
    """Return what a cell of a workbook holds; its formula where the number was not computed."""
    return str(formula) if value is None and formula is not None else value


def _few(row: list[str]) -> list[str]:
    """Return a row without what is empty at its end; raises ValueError where it has too many columns."""
    while row and not row[-1]:
        row.pop()
    if len(row) > MOST_COLUMNS:
        raise ValueError(TOO_WIDE)
    return row


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
        yield nth, [_without_mark(places[row["place"]]), drawn, *first, number, *last]


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
        parted = max(";\t,|", key=partial(_parts, [line for line in start.splitlines()[:_FIRST_LINES] if line.strip()]))
        for nth, row in enumerate(csv.reader(text, delimiter=parted), 1):
            yield nth, _few([_without_mark(cell.strip()[:_CELL]) for cell in row])
    finally:
        text.detach()


def _parts(lines: list[str], mark: str) -> tuple[int, int]:
    """Return in how many lines a mark stands equally often, and how often: what parts columns does so in most."""
    counts = Counter(count for line in lines if (count := line.count(mark)))
    return max(((many, count) for count, many in counts.items()), default=(0, 0))


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
    return _without_mark(str(cell).strip()[:_CELL])


def _without_mark(cell: str) -> str:
    """Return text without the mark that keeps it from being run or counted; a name may begin with one ('t Hof)."""
    return cell[1:] if cell.startswith("'") and not cell[1:2].isalpha() else cell


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
        except Exception as fault:  # whatever a file does to its reader, it is no table
            sys.stdout.write(f"{json.dumps(TOO_WIDE if str(fault) == TOO_WIDE else NO_TABLE)}\n")
    return 0


if __name__ == "__main__":
    sys.exit(main(*sys.argv[1:]))
