"""What the worker does: it writes files of the record, says how far it is, and stops when it is told to."""

import tempfile
from collections import Counter
from collections.abc import Callable, Iterator
from datetime import timedelta
from itertools import islice
from typing import Any

from django.core.files import File
from django.http import QueryDict
from django.utils import timezone
from procrastinate.contrib.django import app

from kessa.core.errors import CannotCompute
from kessa.core.quantities.units import sign
from kessa.record.exchange.files import rows_in
from kessa.record.exchange.models import Doubtful, Export, Format, LongWork, Notebook, Stage, State
from kessa.record.exchange.nouns import nouns
from kessa.record.exchange.rows import Doubt, Found, Reader
from kessa.record.exchange.taking_in import Writer, undo
from kessa.record.exchange.writing import write_lines, write_map, write_package, write_workbook
from kessa.record.results.filters import LogFilter
from kessa.record.results.models import Result


class Stopped(Exception):
    """Somebody cancelled what was under way."""


def progress(work: LongWork) -> Callable[[int], None]:
    """Return what a long work is told how many more it has done; it raises Stopped where somebody cancelled it."""
    rows = type(work).across_teams.filter(pk=work.pk, state=State.RUNNING)

    def tell(more: int) -> None:
        work.done += more
        if not rows.update(done=work.done):
            raise Stopped

    return tell


def begin(work: LongWork | None, total: int) -> bool:
    """Say that a work begins; whether it still is to be done. What was broken off begins anew."""
    if work is None or not work.under_way:
        return False
    work.done, work.total, work.state = 0, total, State.RUNNING
    work.save(update_fields=["done", "total", "state"])
    return True


def end(work: LongWork, state: State, fault: str = "") -> None:
    """Say what became of a work."""
    rows = type(work).across_teams.filter(pk=work.pk, state=State.RUNNING)
    rows.update(state=state, ended_at=timezone.now(), fault=fault[:300])


@app.task(name="exchange.write_export", aliases=["kessa.record.exchange.tasks.write_export"], lock="write-export")
def write_export(export: int) -> None:
    """Write a file of the record."""
    work = Export.across_teams.select_related("team").filter(pk=export).first()
    narrowed = _results(work) if work else None
    if not begin(work, _total(work, narrowed) if work else 0):
        return
    assert work is not None
    try:
        with tempfile.TemporaryFile() as out:
            _write(work, out, narrowed)
            out.seek(0)
            work.file.save(f"kessa-{work.pk}.{work.format}", File(out), save=False)
        Export.across_teams.filter(pk=work.pk).update(file=work.file.name)
        end(work, State.DONE)
    except Stopped:
        return
    except Exception as fault:
        end(work, State.FAILED, f"It could not be written: {type(fault).__name__}.")
        raise


def _write(work: Export, out: Any, narrowed: Any | None) -> None:
    if work.format == Format.PACKAGE:
        return write_package(out, work.team, narrowed, progress(work), work.licence)
    writers = {Format.WORKBOOK: write_workbook, Format.LINES: write_lines, Format.MAP: write_map}
    return writers[Format(work.format)](out, work.team, narrowed, progress(work))


def _results(work: Export) -> Any | None:
    """Return the results that were asked for by filters; None where all were."""
    if not work.filters:
        return None
    return LogFilter(work.team, QueryDict(work.filters), queryset=Result.objects.for_team(work.team)).qs


def _total(work: Export, narrowed: Any | None) -> int:
    told = nouns() if work.format != Format.MAP else nouns()[:1]
    return sum(noun.rows(work.team, narrowed).count() for noun in told)


# ---- old notebooks --------------------------------------------------------------------------------------------------

_DOUBTFUL_KEPT, _SAMPLE, _BATCH = 1000, 8, 5000


@app.task(name="exchange.check_notebook", aliases=["kessa.record.exchange.tasks.check_notebook"], lock="take-in")
def check_notebook(notebook: int) -> None:
    """Read every row of a notebook, and say what would come of it."""
    _work_on(notebook, Stage.MENDING, Stage.MATCHING, _check)


@app.task(name="exchange.write_notebook", aliases=["kessa.record.exchange.tasks.write_notebook"], lock="take-in")
def write_notebook(notebook: int) -> None:
    """Take a notebook in."""
    _work_on(notebook, Stage.IN, Stage.MENDING, _write_in)


@app.task(name="exchange.undo_notebook", aliases=["kessa.record.exchange.tasks.undo_notebook"], lock="take-in")
def undo_notebook(notebook: int) -> None:
    """Take everything out again that came of a notebook."""
    _work_on(notebook, Stage.UNDONE, Stage.IN, lambda work: {"undone": undo(work, progress(work))})


def _work_on(pk: int, then: Stage, back: Stage, do: Callable[[Notebook], dict[str, Any]]) -> None:
    """Do what a notebook waits for, in its team's time; where it fails or is cancelled it is as it was."""
    work = Notebook.across_teams.select_related("team", "asked_by").filter(pk=pk).first()
    if not begin(work, work.told.get("rows", 0) if work else 0):
        return
    assert work is not None
    rows = Notebook.across_teams.filter(pk=pk)
    try:
        with timezone.override(work.team.time_zone):
            told = do(work)
        # Cancelled at the very last, it is cancelled all the same.
        if not rows.filter(state=State.RUNNING).update(stage=then, told=work.told | told):
            raise Stopped
        end(work, State.DONE)
    except Stopped:
        # What had been written by then is taken out again.
        if back == Stage.MENDING:
            undo(work, lambda _: None)
        rows.update(stage=back)
    except CannotCompute as fault:
        rows.update(stage=back)
        end(work, State.FAILED, fault.message)
    except Exception as fault:
        rows.update(stage=back)
        end(work, State.FAILED, f"It could not be done: {type(fault).__name__}.")
        raise


class _Tally:
    """What would come of a notebook, counted row by row."""

    def __init__(self, work: Notebook) -> None:
        self.work, self.rows, self.many = work, 0, 0
        self.tests: Counter[str] = Counter()
        self.places: Counter[str] = Counter()
        self.days: list[Any] = []
        self.doubtful: list[Doubtful] = []
        self.preview: list[list[Any]] = []

    def doubt(self, row: Doubt) -> None:
        """Count a row that cannot be taken in as it stands; the first of them are kept to be mended."""
        self.many += 1
        if self.many <= _DOUBTFUL_KEPT:
            of = {"team_id": self.work.team_id, "notebook": self.work}
            self.doubtful.append(Doubtful(**of, number=row.row, cells=row.cells, why=row.why))

    def count(self, found: Found) -> None:
        """Count a result."""
        self.tests[found.parameter] += 1
        self.places[str(found.place)] += 1
        self.days = [min(self.days[0], found.at), max(self.days[1], found.at)] if self.days else [found.at, found.at]
        if len(self.preview) < _SAMPLE:
            of = found.quantity
            kept = f"{of.censor or ''}{of.value:g} {sign(of.unit)} {f'as {of.form}' if of.form else ''}".strip()
            at = found.at.isoformat(sep=" ")
            self.preview.append([found.row, str(found.place), at, found.parameter, found.words, kept])

    @property
    def told(self) -> dict[str, Any]:
        """What is told of it."""
        return {
            "rows": self.rows, "results": self.tests.total(), "tests": dict(self.tests.most_common()),
            "places": dict(self.places.most_common()), "doubtful": self.many, "kept": len(self.doubtful),
            "preview": self.preview, "days": [day.isoformat() for day in self.days],
        }  # fmt: skip


def _rows_of(work: Notebook) -> Iterator[tuple[int, list[str]]]:
    """Give the rows of a notebook below its head, each with its number, and tell how far it is."""
    tell, done = progress(work), 0
    with work.file.open("rb") as file:
        for done, row in enumerate(islice(rows_in(file, work.name), 1, None), 1):
            yield row
            if done % _BATCH == 0:
                tell(_BATCH)
    tell(done % _BATCH)


def _check(work: Notebook) -> dict[str, Any]:
    reader, tally = Reader(work.team, work.columns, work.reading), _Tally(work)
    Doubtful.objects.for_team(work.team_id).filter(notebook=work).delete()
    for number, cells in _rows_of(work):
        tally.rows += 1
        found = reader.read(number, cells)
        if isinstance(found, Doubt):
            tally.doubt(found)
        else:
            for each in found:
                tally.count(each)
    Doubtful.objects.bulk_create(tally.doubtful, batch_size=1000)
    return tally.told


def _write_in(work: Notebook) -> dict[str, Any]:
    reader, writer = Reader(work.team, work.columns, work.reading), Writer(work)
    mended = {row.number: row for row in Doubtful.objects.for_team(work.team_id).filter(notebook=work)}
    batch: list[Found] = []
    left_out = 0
    for number, cells in _rows_of(work):
        row = mended.get(number)
        found = reader.read(number, (row.mended or []) if row and not row.why else cells)
        if isinstance(found, Doubt):
            left_out += 1
        else:
            batch += found
        if len(batch) >= _BATCH:
            writer.write(batch)
            batch.clear()
    if batch:
        writer.write(batch)
    writer.finish()
    return {"written": writer.written, "there_already": writer.there_already, "left_out": left_out}


@app.periodic(cron="17 3 * * *")
@app.task(name="exchange.clear_old", aliases=["kessa.record.exchange.tasks.clear_old"], queueing_lock="clear-old")
def clear_old(timestamp: int, **_: Any) -> None:
    """Remove files that were written a while ago."""
    before = timezone.now() - timedelta(days=Export.keeps_for_days)
    for export in Export.across_teams.filter(ended_at__lt=before).exclude(file=""):
        export.file.delete(save=False)
        Export.across_teams.filter(pk=export.pk).update(file="")
