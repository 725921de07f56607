"""What the worker does: it writes files of the record, says how far it is, and stops when it is told to."""

import tempfile
from collections.abc import Callable
from typing import Any

from django.core.files import File
from django.http import QueryDict
from django.utils import timezone
from procrastinate.contrib.django import app

from kessa.exchange import services
from kessa.exchange.models import Export, Format, LongWork, State
from kessa.exchange.nouns import nouns
from kessa.exchange.writing import write_lines, write_map, write_package, write_workbook
from kessa.log.filters import LogFilter
from kessa.log.models import Result


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


@app.task(lock="write-export")
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


@app.periodic(cron="17 3 * * *")
@app.task(queueing_lock="clear-old")
def clear_old(timestamp: int, **_: Any) -> None:
    """Remove files that nobody needs any more."""
    services.clear_old()
