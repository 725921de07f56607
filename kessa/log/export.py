"""The log as a file that a spreadsheet reads back."""

import csv
from collections.abc import Iterable, Iterator
from datetime import tzinfo
from typing import Any

from kessa.core.runs.flags import words
from kessa.log.models import Mark, Result

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
    determination, decisive, ended = result.determination, result.decisive, result.ended
    sample = determination.sample if determination else None
    blank = result.readings.get("blank")
    late = ["taps after closing"] if determination and determination.late_taps else []
    return [
        result.place.name,
        result.place.latitude,
        result.place.longitude,
        result.taken_at.astimezone(zone).isoformat(timespec="minutes"),
        sample.depth_cm if sample else "",
        sample.water_temperature_c if sample else "",
        sample.number if sample else "",
        result.parameter,
        result.fraction,
        result.raw,
        f"{blank['units']}, {blank['verdict']}" if blank and blank["units"] is not None else "none",
        determination.dilution if determination else "",
        _digits(result.value),
        _digits(result.low),
        _digits(result.high),
        result.censor,
        result.unit,
        result.form,
        result.verdict,
        f"{decisive['set']}: {decisive['source']}, {decisive['statistic']}" if decisive else "",
        determination.method_key if determination else "",
        determination.method_version if determination else "",
        determination.lot if determination else "",
        str(determination.instrument or "") if determination else "",
        result.tested_by,
        result.tested_at.astimezone(zone).isoformat(timespec="minutes"),
        result.computed_at.astimezone(zone).isoformat(timespec="seconds"),
        "; ".join([words(flag) for flag in result.flags] + late),
        "; ".join(_put_right(mark, zone) for mark in result.active_marks if mark.flag == "corrected"),
        ended.at.astimezone(zone).isoformat(timespec="seconds") if ended else "",
        "; ".join(mark.why for mark in result.active_marks if mark.why and mark.flag != "corrected"),
    ]


def _put_right(mark: Mark, zone: tzinfo) -> str:
    """Say who put a result right, when, and what became what."""
    return f"{mark.at.astimezone(zone).isoformat(timespec='minutes')} {mark.by or ''}: {mark.why}"


def _digits(number: float | None) -> float | None:
    """Write a number without the last digits of binary arithmetic."""
    return None if number is None else float(f"{number:.10g}")
