"""Reading files that others wrote: tables as text, workbooks, and data packages of Kessa's own."""

import csv
import io
import json
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import date, datetime, time
from itertools import islice, zip_longest
from typing import IO, Any, NamedTuple

from django.utils import timezone
from django.utils.dateparse import parse_datetime
from openpyxl import load_workbook

from kessa.core.errors import CannotCompute

# Before a number that a workbook holds as such.
TYPED = "="
# Each row by its number in the file, as text.
Rows = Iterator[tuple[int, list[str]]]
_CELLS, _CELL, _HEAD_WITHIN, _SAMPLE, _SAMPLE_ROWS = 200, 500, 20, 100_000, 200
# What a packed file may come to, and what of a workbook is read at once: more is no table, but harm.
_UNPACKED, _SHARED = 4_000_000_000, 200_000_000
_ENCODINGS = ("utf-8-sig", "utf-16", "cp1252")
# What a package's results are read as: the columns of one table.
_OF_PACKAGE = ("place", "date", "test", "fraction", "value", "unit", "form", "low", "high")


class Looked(NamedTuple):
    """What is to be seen of a file: its sheets, its first rows by their numbers, its heads, and rows under them."""

    sheets: list[str]
    first: list[tuple[int, list[str]]]
    head: list[str]
    sample: list[list[str]]


def look_at(file: IO[bytes], name: str, sheet: str = "", head: str = "") -> Looked:
    """Look at a table; see rows_in for `sheet` and `head`. Raises CannotCompute where it is none."""
    with _opened(file, name, sheet) as (sheets, rows):
        begins = list(islice(rows, _HEAD_WITHIN + _SAMPLE_ROWS))
    below = _from_head(iter(begins), head)
    heads = next(below, (0, []))[1]
    if len([cell for cell in heads if cell]) < 2:
        raise CannotCompute("This file has no table with a head: its first row names the columns.", "file")
    return Looked(sheets, begins[:_HEAD_WITHIN], heads, [row for _, row in islice(below, _SAMPLE_ROWS)])


def rows_in(file: IO[bytes], name: str, sheet: str = "", head: str = "") -> Rows:
    """Give the rows of a file from its head on, each with its number; raises CannotCompute where it is no table.

    `sheet` is the name of a workbook's sheet, else the first. `head` is the number of the row that names the columns,
    or of two of them ("3-4"); else it is the first row, of the first few, with the most columns.
    """
    with _opened(file, name, sheet) as (_, rows):
        yield from _from_head(rows, head)


@contextmanager
def _opened(file: IO[bytes], name: str, sheet: str) -> Iterator[tuple[list[str], Rows]]:
    """Open a file once: the names of a workbook's sheets, none of another file's, and all rows of the table."""
    file.seek(0)
    start = file.read(4)
    file.seek(0)
    try:
        if not start.startswith(b"PK"):
            yield [], _from_text(file)
            return
        with zipfile.ZipFile(file) as package:
            sizes = {each.filename: each.file_size for each in package.infolist()}
            if sum(sizes.values()) > _UNPACKED or sizes.get("xl/sharedStrings.xml", 0) > _SHARED:
                raise ValueError("larger than any table")
            if "datapackage.json" in sizes:
                yield [], _from_package(package)
                return
        file.seek(0)
        book = load_workbook(file, read_only=True, data_only=True)
        try:
            rows = (book[sheet] if sheet else book.worksheets[0]).iter_rows(values_only=True)
            given = ((nth, [_said(cell) for cell in row[:_CELLS]]) for nth, row in enumerate(rows, 1))
            yield [each.title for each in book.worksheets], given
        finally:
            book.close()
    except (csv.Error, UnicodeError, zipfile.BadZipFile, KeyError, ValueError, OSError) as fault:
        raise CannotCompute(f"“{name}” cannot be read as a table.", "file") from fault


def _from_head(rows: Rows, head: str) -> Rows:
    first, _, last = head.partition("-")
    return _from_rows(rows, int(first), int(last or first)) if head else _from_widest(rows)


def _from_package(package: zipfile.ZipFile) -> Rows:
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
        drawn = timezone.localtime(at).isoformat(sep=" ") if at else row["drawn_at"]
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


def _from_rows(rows: Rows, first: int, last: int) -> Rows:
    """Leave out what stands before the head, and put one of two rows together; what is merged names all under it."""
    heads: list[str] = []
    for number, row in rows:
        if first <= number <= last:
            under = _filled(row) if number < last else row
            heads = [f"{upper} {lower}".strip() for upper, lower in zip_longest(heads, under, fillvalue="")]
        if number == last:
            yield number, heads
        elif number > last and any(row):
            yield number, row


def _filled(row: list[str]) -> list[str]:
    filled: list[str] = []
    for cell in row:
        filled.append(cell or (filled[-1] if filled else ""))
    return filled


def _from_widest(rows: Rows) -> Rows:
    """Leave out what stands before the head: the first row, of the first few, with the most columns."""
    first = list(islice(rows, _HEAD_WITHIN))
    widest = max((len([cell for cell in row if cell]) for _, row in first), default=0)
    begun = False
    for number, row in first:
        begun = begun or len([cell for cell in row if cell]) == widest
        if begun and any(row):
            yield number, row
    for number, row in rows:
        if any(row):
            yield number, row


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
