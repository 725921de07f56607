"""Tables in files that others wrote, and their heads: read by a process within bounds of time and memory."""

import json
import os
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from itertools import islice, zip_longest
from pathlib import Path
from typing import IO, Any, NamedTuple

from django.utils import timezone

from kessa.core.errors import CannotCompute
from kessa.core.importing.heads import head_of
from kessa.record.imports.files import MOST_COLUMNS, NO_TABLE, TOO_WIDE

# Each row by its number in the file, as text.
Rows = Iterator[tuple[int, list[str]]]
_HEAD_WITHIN, _SAMPLE_ROWS = 20, 200
# Seconds of processor: to look at a table, and to read it whole, with so many more for each MB.
_LOOKING, _READING, _A_MB = 10, 30, 20
_ROOT = Path(__file__).parents[3]


class Looked(NamedTuple):
    """What is to be seen of a file: its sheets, its first rows by their numbers, its heads, and rows under them."""

    sheets: list[str]
    first: list[tuple[int, list[str]]]
    head: list[str]
    sample: list[list[str]]


def look_at(file: IO[bytes], name: str, sheet: str = "", head: str = "") -> Looked:
    """Look at a table; see rows_in for `sheet` and `head`. Raises CannotCompute where it is none."""
    with _opened(file, name, sheet, _LOOKING) as (sheets, rows):
        begins = list(islice(rows, _HEAD_WITHIN + _SAMPLE_ROWS))
    below = _from_head(iter(begins), head)
    heads = next(below, (0, []))[1]
    if len([cell for cell in heads if cell]) < 2:
        raise CannotCompute("This file has no table with a head: its first row names the columns.", "file")
    return Looked(sheets, begins[:_HEAD_WITHIN], heads, [row for _, row in islice(below, _SAMPLE_ROWS)])


def rows_in(file: IO[bytes], name: str, sheet: str = "", head: str = "") -> Rows:
    """Give the rows of a file from its head on, each with its number; raises CannotCompute where it is no table.

    `sheet` is the name of a workbook's sheet, else the first. `head` is the number of the row that names the columns,
    or of two of them ("3-4"); else it is that of the first few which says most of what columns are usually about.
    """
    file.seek(0, os.SEEK_END)
    with _opened(file, name, sheet, _READING + _A_MB * file.tell() // 1_000_000) as (_, rows):
        yield from _from_head(rows, head)


@contextmanager
def _opened(file: IO[bytes], name: str, sheet: str, seconds: int) -> Iterator[tuple[list[str], Rows]]:
    """Open a file once: the names of a workbook's sheets, none of another file's, and all rows of the table.

    Whatever the file says of itself, reading it takes at most `seconds` of processor, and the memory of files.MEMORY.
    """
    command = [
        sys.executable,
        "-m",
        "kessa.record.imports.files",
        sheet,
        timezone.get_current_timezone_name(),
        str(seconds),
    ]
    with _on_disk(file) as source:
        process = subprocess.Popen(  # noqa: S603 # ourselves
            command, stdin=source, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, cwd=_ROOT,
            env=os.environ | {"OPENBLAS_NUM_THREADS": "1"},
        )  # fmt: skip
        assert process.stdout is not None
        try:
            lines = _lines(process, name)
            yield next(lines), lines
        finally:
            process.kill()
            process.wait()
            process.stdout.close()


@contextmanager
def _on_disk(file: IO[bytes]) -> Iterator[IO[bytes]]:
    """Let another process read a file from its beginning, wherever it is kept."""
    file.seek(0)
    with tempfile.TemporaryFile() as copy:
        shutil.copyfileobj(file, copy)
        copy.seek(0)
        yield copy


def _lines(process: Any, name: str) -> Iterator[Any]:
    # A line that was cut off is the last.
    for line in filter(lambda each: each.endswith(b"\n"), process.stdout):
        said = json.loads(line)
        if said == NO_TABLE:
            raise CannotCompute(f"“{name}” cannot be read as a table.", "file")
        if said == TOO_WIDE:
            raise CannotCompute(
                f"“{name}” has more than {MOST_COLUMNS} columns: leave out those without results.", "file"
            )
        yield said
    if process.wait() != 0:
        raise CannotCompute(f"“{name}” takes more time or memory to read than a table does: it is not read.", "file")


def _from_head(rows: Rows, head: str) -> Rows:
    first, _, last = head.partition("-")
    return _from_rows(rows, int(first), int(last or first)) if head else _from_likeliest(rows)


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


def _likely(row: list[str]) -> tuple[int, int]:
    """Return how likely a row names columns: how many of its cells are known as heads, and how many there are."""
    known = sum(bool(head_of(cell).subject) for cell in row)
    return known if known > 1 else 0, len([cell for cell in row if cell])


def _filled(row: list[str]) -> list[str]:
    filled: list[str] = []
    for cell in row:
        filled.append(cell or (filled[-1] if filled else ""))
    return filled


def _from_likeliest(rows: Rows) -> Rows:
    """Leave out what stands before the head: the row, of the first few, with the most heads that are known.

    Where no row has two of them it is the first with the most columns.
    """
    first = list(islice(rows, _HEAD_WITHIN))
    likeliest = max((_likely(row) for _, row in first), default=(0, 0))
    begun = False
    for number, row in first:
        begun = begun or _likely(row) == likeliest
        if begun and any(row):
            yield number, row
    for number, row in rows:
        if any(row):
            yield number, row
