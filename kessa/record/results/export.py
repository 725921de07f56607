"""The log as a file that a spreadsheet reads back."""

import csv
import json
from collections import defaultdict
from collections.abc import Iterable, Iterator
from datetime import datetime, tzinfo
from functools import lru_cache
from typing import Any

from django.db.models import F, TextField
from django.db.models.fields.json import KT
from django.db.models.functions import Cast

from kessa.core.judging.holding import overall
from kessa.core.runs.flags import ENDS, words
from kessa.record.people.selectors import names_of
from kessa.record.replica import for_files, reading_from
from kessa.record.results.models import Mark
from kessa.record.results.selectors import older_than
from kessa.record.visits.models import NOT_KNOWN

COLUMNS = (
    "place",
    "latitude",
    "longitude",
    "sample drawn",
    "depth cm",
    "water temperature °C",
    "sample number",
    "test",
    "fraction",
    "raw reading",
    "blank",
    "dilution",
    "result",
    "low",
    "high",
    "censoring",
    "unit",
    "form",
    "verdict",
    "review",
    "judged by",
    "method",
    "method version",
    "lot",
    "instrument",
    "person",
    "tested",
    "result computed",
    "flags",
    "put right",
    "stands no more",
    "why",
)
_FORMULA_STARTS = ("=", "+", "-", "@", "\t", "\r")
_READ = (
    "pk", "team_id", "person_id", "place__name", "place__latitude", "place__longitude", "taken_at", "time_known",
    "determination__sample__depth_cm", "determination__sample__water_temperature_c", "determination__sample__number",
    "parameter", "fraction", "determination__dilution", "value", "low", "high", "censor", "unit", "form", "verdict",
    "visit__review", "determination__method_key", "determination__method_version", "determination__lot",
    "determination__instrument__name", "determination__late_taps", "tested_at", "computed_at",
)  # fmt: skip
_AT_ONCE = 1000


class _Echo:
    """A file that hands back what is written to it, for streaming."""

    def write(self, text: str) -> str:
        return text


_WRITER = csv.writer(_Echo())
# The mark by which spreadsheets know UTF-8.
CSV_STARTS = "\ufeff"


def csv_line(cells: Iterable[Any]) -> str:
    """Return a line of a table as CSV that no spreadsheet takes for a formula."""
    return str(_WRITER.writerow([harmless(cell) for cell in cells]))


def csv_pieces(results: Any, zone: tzinfo) -> Iterator[str]:
    """Write a query of results as CSV, a thousand lines at a time.

    Times are in `zone`. Whatever the number of results, only so many are held in memory, and none by the database: each
    thousand is asked for after the last of those before.
    """
    yield CSV_STARTS + csv_line(COLUMNS)
    data = {"words": KT("readings__words"), "people": F("readings__people"), "blank": F("readings__blank")}
    read = results.annotate(**data, judged=Cast("judgements", TextField()))
    rows = read.values_list(*_READ, *data, "judged", named=True)
    names: dict[int, str] = {}
    alias, left = for_files(), rows
    while True:
        with reading_from(alias):
            piece = list(left[:_AT_ONCE])
            if not piece:
                return
            marks = _marks_of(piece)
            names |= names_of({row.person_id for row in piece if row.person_id and not row.people} - names.keys())
        yield "".join(csv_line(_row(row, marks[row.pk], names, zone)) for row in piece)
        if len(piece) < _AT_ONCE:
            return
        left = older_than(rows, piece[-1].taken_at, piece[-1].pk)


def _marks_of(rows: list[Any]) -> dict[int, list[Mark]]:
    marks: dict[int, list[Mark]] = defaultdict(list)
    # Marks are few: most results have none.
    found = Mark.objects.for_team(rows[0].team_id).filter(result__in=[row.pk for row in rows], lifted_at=None)
    for mark in found.select_related("by").order_by("pk"):
        marks[mark.result_id].append(mark)
    return marks


def harmless(cell: Any) -> Any:
    """Keep text from being run as a formula by the spreadsheet that opens it; numbers stay numbers."""
    return f"'{cell}" if isinstance(cell, str) and cell.lstrip("' ").startswith(_FORMULA_STARTS) else cell


def unharmed(cell: str) -> str:
    """Return text as it was before it was kept from being run: see harmless."""
    return cell[1:] if cell.startswith("'") and harmless(cell[1:]) == cell else cell


def _row(row: Any, marks: list[Mark], names: dict[int, str], zone: tzinfo) -> list[Any]:
    flags = list(dict.fromkeys(mark.flag for mark in marks))
    ended = next((mark for mark in marks if mark.flag in ENDS), None)
    late = ["taps after closing"] if row.determination__late_taps else []
    blank = row.blank
    return [
        row.place__name,
        row.place__latitude,
        row.place__longitude,
        _at(row.taken_at, zone) if row.time_known else row.taken_at.astimezone(zone).date().isoformat(),
        _known(row.determination__sample__depth_cm),
        _known(row.determination__sample__water_temperature_c),
        _known(row.determination__sample__number),
        row.parameter,
        row.fraction,
        row.words or "cannot be read",
        f"{blank['units']}, {blank['verdict']}" if blank and blank["units"] is not None else "none",
        _known(row.determination__dilution),
        _digits(row.value),
        _digits(row.low),
        _digits(row.high),
        row.censor,
        row.unit,
        row.form,
        row.verdict,
        row.visit__review,
        _judged_by(row.judged),
        row.determination__method_key or "",
        _known(row.determination__method_version),
        row.determination__lot or "",
        row.determination__instrument__name or "",
        " and ".join(row.people or [names.get(row.person_id, NOT_KNOWN)]),
        _at(row.tested_at, zone) if row.tested_at else "",
        _at(row.computed_at, zone, "seconds"),
        "; ".join([*map(words, flags), *late]),
        "; ".join(_put_right(mark, zone) for mark in marks if mark.flag == "corrected"),
        _at(ended.at, zone, "seconds") if ended else "",
        "; ".join(mark.why for mark in marks if mark.why and mark.flag != "corrected"),
    ]


def _at(moment: datetime, zone: tzinfo, to: str = "minutes") -> str:
    return moment.astimezone(zone).isoformat(timespec=to)


def _known(value: Any) -> Any:
    return "" if value is None else value


@lru_cache(maxsize=1000)
def _judged_by(judgements: str) -> str:
    decisive = overall(json.loads(judgements))
    return f"{decisive['set']}: {decisive['source']}, {decisive['statistic']}" if decisive else ""


def _put_right(mark: Mark, zone: tzinfo) -> str:
    """Say who put a result right, when, and what became what."""
    return f"{_at(mark.at, zone)} {mark.by or ''}: {mark.why}"


def _digits(number: float | None) -> float | None:
    """Write a number without the last digits of binary arithmetic."""
    return None if number is None else float(f"{number:.10g}")
