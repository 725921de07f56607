"""The log as a file that a spreadsheet reads back."""

import csv
from collections.abc import Iterable, Iterator
from datetime import tzinfo
from typing import Any

from kessa.bench.models import Result
from kessa.core.runs.flags import words

COLUMNS = (
    "place",
    "latitude",
    "longitude",
    "sample drawn",
    "depth cm",
    "water temperature degC",
    "test",
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
    "judged by",
    "method",
    "method version",
    "lot",
    "person",
    "result computed",
    "flags",
    "superseded",
    "reason",
)
_FORMULA_STARTS = ("=", "+", "-", "@", "\t", "\r")


class _Echo:
    """A file that hands back what is written to it, for streaming."""

    def write(self, text: str) -> str:
        return text


def csv_lines(results: Iterable[Result], zone: tzinfo) -> Iterator[str]:
    """Write results as CSV, a line at a time, times in `zone`, with the mark by which spreadsheets know UTF-8."""
    writer = csv.writer(_Echo())
    yield "\ufeff" + writer.writerow(COLUMNS)
    for result in results:
        yield writer.writerow([_harmless(cell) for cell in _row(result, zone)])


def _harmless(cell: Any) -> Any:
    """Keep text from being run as a formula by the spreadsheet that opens it; numbers stay numbers."""
    return f"'{cell}" if isinstance(cell, str) and cell.lstrip(" ").startswith(_FORMULA_STARTS) else cell


def _row(result: Result, zone: tzinfo) -> list[Any]:
    sample, determination, decisive = result.determination.sample, result.determination, result.decisive
    blank = result.readings["blank"]
    return [
        result.place.name,
        result.place.latitude,
        result.place.longitude,
        result.taken_at.astimezone(zone).isoformat(timespec="minutes"),
        sample.depth_cm,
        sample.water_temperature_c,
        result.parameter,
        result.raw,
        f"{blank['units']}, {blank['verdict']}" if blank and blank["units"] is not None else "none",
        determination.dilution,
        result.value,
        result.low,
        result.high,
        result.censor,
        result.unit,
        result.form,
        result.verdict,
        f"{decisive['set']}: {decisive['source']}, {decisive['statistic']}" if decisive else "",
        determination.method_key,
        determination.method_version,
        determination.lot,
        str(result.person),
        result.computed_at.astimezone(zone).isoformat(timespec="seconds"),
        "; ".join([words(flag) for flag in result.flags] + (["taps after closing"] if determination.late_taps else [])),
        result.superseded_at.astimezone(zone).isoformat(timespec="seconds") if result.superseded_at else "",
        result.superseded_reason if result.superseded_at else result.reason,
    ]
