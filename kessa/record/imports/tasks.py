"""What the worker does with a file: it looks, checks, imports, undoes, says how far it is, and stops when told to."""

from collections import Counter
from collections.abc import Callable, Iterator
from functools import partial
from itertools import islice
from typing import Any

from django.utils import timezone
from procrastinate.contrib.django import app

from kessa.core.errors import CannotCompute
from kessa.core.quantities.units import sign
from kessa.record.imports.files import TYPED
from kessa.record.imports.models import Doubtful, Import, Matching, Stage, digest_of
from kessa.record.imports.rows import Doubt, Reader, ReadRow, guess
from kessa.record.imports.tables import look_at, rows_in
from kessa.record.imports.taking_in import Writer, undo
from kessa.record.long_work.models import State
from kessa.record.long_work.progress import Stopped, begin, end, progress

_MOST_DOUBTFUL, _SAMPLE, _BATCH = 100_000, 8, 5000
_NAMED, _MOST_TESTS = 20, 100
# What a file is before each thing that is done with it.
_BEFORE = {
    Stage.LOOKING: Stage.MATCHING, Stage.CHECKING: Stage.MATCHING,
    Stage.WRITING: Stage.MENDING, Stage.UNDOING: Stage.IN,
}  # fmt: skip


@app.task(name="exchange.look_for_table", queue="files")
def look_for_table(imported: int, sheet: str, head: str) -> None:
    """Look what a file shows: what its columns are is guessed, or as it was the last time."""
    _work_on(imported, Stage.MATCHING, partial(_look, sheet=sheet, head=head))


@app.task(name="exchange.check_import", queue="files", aliases=["kessa.exchange.tasks.check_import"])
def check_import(imported: int) -> None:
    """Read every row of a file, and say what would come of it."""
    _work_on(imported, Stage.MENDING, _check)


@app.task(name="exchange.write_import", queue="files", aliases=["kessa.exchange.tasks.write_import"])
def write_import(imported: int) -> None:
    """Import a file."""
    _work_on(imported, Stage.IN, _write_in)


@app.task(name="exchange.undo_import", queue="files", aliases=["kessa.exchange.tasks.undo_import"])
def undo_import(imported: int) -> None:
    """Take everything out again that came of a file."""
    _work_on(imported, Stage.UNDONE, lambda work: {"undone": undo(work, progress(work))})


@app.task(name="exchange.put_back", queue="files")
def put_back(imported: int) -> None:
    """Leave a file as it was where what was under way is cancelled, and no worker came to know of it."""
    work = Import.across_teams.select_related("team").filter(pk=imported).first()
    if work and work.stage in _BEFORE and not work.under_way:
        _put_back(work)


def _put_back(work: Import) -> None:
    # What had been written by then is taken out again.
    if work.stage == Stage.WRITING:
        undo(work, lambda _: None)
    Import.across_teams.filter(pk=work.pk).update(stage=_BEFORE[Stage(work.stage)])


def _work_on(pk: int, then: Stage, do: Callable[[Import], dict[str, Any]]) -> None:
    """Do what a file waits for, in its team's time; where it fails or is cancelled it is as it was."""
    work = Import.across_teams.select_related("team", "asked_by").filter(pk=pk).first()
    if not begin(work, work.told.get("rows", 0) if work else 0):
        return
    assert work is not None
    rows = Import.across_teams.filter(pk=pk)
    try:
        with timezone.override(work.team.time_zone):
            outcome = do(work)
        # Cancelled at the very last, it is cancelled all the same.
        if not rows.filter(state=State.RUNNING).update(stage=then, told=work.told | outcome):
            raise Stopped
        end(work, State.DONE)
    except Stopped:
        _put_back(work)
    except CannotCompute as fault:
        _put_back(work)
        end(work, State.FAILED, fault.message)
    except Exception as fault:
        _put_back(work)
        end(work, State.FAILED, f"It could not be done: {type(fault).__name__}.")
        raise


def _look(work: Import, sheet: str, head: str) -> dict[str, Any]:
    with work.file.open("rb") as file:
        seen = look_at(file, work.name, sheet, head)
    before = Matching.objects.for_team(work.team_id).filter(heads=digest_of(seen.head)).first()
    columns, reading = guess(seen.head, seen.sample, before)
    reading |= {"sheet": sheet, "head": head}
    Import.across_teams.filter(pk=work.pk).update(head=seen.head, columns=columns, reading=reading)

    def plain(row: list[str]) -> list[str]:
        return [cell.removeprefix(TYPED) for cell in row]

    return {
        "sample": [plain(row) for row in seen.sample[:3]],
        "sheets": seen.sheets,
        "first": [(number, " · ".join(filter(None, plain(row)))[:80]) for number, row in seen.first],
    }


class _Tally:
    """What would come of a file, counted row by row."""

    def __init__(self, work: Import) -> None:
        self.work, self.rows, self.many = work, 0, 0
        # Of rows in which no result stands: how many, and which were the first.
        self.without, self.first_without = 0, list[int]()
        self.tests: Counter[str] = Counter()
        self.places: Counter[str] = Counter()
        self.days: list[Any] = []
        self.doubtful: list[Doubtful] = []
        self.preview: list[list[Any]] = []

    def doubt(self, row: Doubt) -> None:
        """Keep a row that cannot be taken in as it stands, to be mended."""
        self.many += 1
        if self.many > _MOST_DOUBTFUL:
            raise CannotCompute(f"More than {_MOST_DOUBTFUL:,} rows are doubtful: look at the columns again.", "file")
        self.doubtful.append(_doubtful(self.work, row))
        if len(self.doubtful) >= _BATCH:
            self.keep()

    def keep(self) -> None:
        """Write the doubtful rows that are not written yet."""
        Doubtful.objects.bulk_create(self.doubtful, batch_size=1000)
        self.doubtful.clear()

    def count_without(self, number: int) -> None:
        """Count a row in which no result stands."""
        self.without += 1
        if self.without <= _NAMED:
            self.first_without.append(number)

    def count(self, found: ReadRow) -> None:
        """Count a result."""
        self.tests[found.parameter] += 1
        self.places[str(found.place)] += 1
        self.days = [min(self.days[0], found.at), max(self.days[1], found.at)] if self.days else [found.at, found.at]
        if len(self.preview) < _SAMPLE:
            of = found.quantity
            number = f"{of.censor or ''}{of.value:g} {sign(of.unit)} {f'as {of.form}' if of.form else ''}".strip()
            kept, at = of.words or number, found.at.isoformat(sep=" ") if found.is_timed else f"{found.at:%Y-%m-%d}"
            self.preview.append([found.row, str(found.place), at, found.parameter, found.words, kept])

    @property
    def told(self) -> dict[str, Any]:
        """What is told of it."""
        return {
            "rows": self.rows, "results": self.tests.total(), "tests": dict(self.tests.most_common()),
            "places": dict(self.places.most_common()), "doubtful": self.many,
            "without": self.without, "first_without": self.first_without,
            "preview": self.preview, "days": [day.isoformat() for day in self.days],
        }  # fmt: skip


def _doubtful(work: Import, row: Doubt) -> Doubtful:
    return Doubtful(team_id=work.team_id, imported=work, number=row.row, cells=row.cells, why=row.why)


def _rows_of(work: Import) -> Iterator[tuple[int, list[str]]]:
    """Give the rows of a file below its head, each with its number, and tell how far it is."""
    tell, done = progress(work), 0
    with work.file.open("rb") as file:
        rows = rows_in(file, work.name, work.reading.get("sheet", ""), work.reading.get("head", ""))
        for done, row in enumerate(islice(rows, 1, None), 1):
            yield row
            if done % _BATCH == 0:
                tell(_BATCH)
    tell(done % _BATCH)


def _check(work: Import) -> dict[str, Any]:
    reader, tally = Reader(work.team, work.columns, work.reading), _Tally(work)
    Doubtful.objects.for_team(work.team_id).filter(imported=work).delete()
    for number, cells in _rows_of(work):
        tally.rows += 1
        found = reader.read(number, cells)
        if isinstance(found, Doubt):
            tally.doubt(found)
            continue
        for each in found:
            tally.count(each)
        if not found:
            tally.count_without(number)
    tally.keep()
    unclear = reader.unclear()
    if unclear:
        Import.across_teams.filter(pk=work.pk).update(reading=work.reading | dict.fromkeys(unclear, ""))
        raise CannotCompute(" ".join(unclear.values()), "file")
    return tally.told | {"named": reader.named.most_common(_MOST_TESTS)}


def _write_in(work: Import) -> dict[str, Any]:
    # A worker that died may have begun.
    undo(work, lambda _: None)
    reader, writer = Reader(work.team, work.columns, work.reading), Writer(work, progress(work))
    mended = {row.number: row for row in Doubtful.objects.for_team(work.team_id).filter(imported=work)}
    batch: list[ReadRow] = []
    left_out, anew = 0, list[Doubtful]()
    for number, cells in _rows_of(work):
        row = mended.get(number)
        found = reader.read(number, (row.mended or []) if row and not row.why else cells)
        if isinstance(found, Doubt):
            left_out += 1
            if row is None:
                anew.append(_doubtful(work, found))
        else:
            batch += found
        if len(batch) >= _BATCH:
            writer.write(batch)
            batch.clear()
    if anew:
        # As they were read before, nothing was doubtful about them.
        Doubtful.objects.bulk_create(anew, batch_size=1000)
        raise CannotCompute(
            "Rows that were mended say what others say already: look at these, or leave them out.", "file"
        )
    if batch:
        writer.write(batch)
    writer.finish()
    return {"written": writer.written, "there_already": writer.there_already, "left_out": left_out}
