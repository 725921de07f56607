"""What the worker does: it writes files of the record, and removes old ones."""

import tempfile
from datetime import timedelta
from typing import Any

from django.core.files import File
from django.http import QueryDict
from django.utils import timezone
from procrastinate.contrib.django import app

from kessa.record.exports.models import Export, Format
from kessa.record.exports.moment import Moment
from kessa.record.exports.resources import Resource, number_of, resources
from kessa.record.exports.writing import Asked, write_lines, write_map, write_package, write_workbook
from kessa.record.long_work.models import State
from kessa.record.long_work.progress import Stopped, begin, end, progress
from kessa.record.people.models import Membership
from kessa.record.results.filters import LogFilter
from kessa.record.results.models import Result


@app.task(name="exchange.write_export", queue="files", aliases=["kessa.exchange.tasks.write_export"])
def write_export(export: int) -> None:
    """Write a file of the record."""
    work = Export.across_teams.select_related("team").filter(pk=export).first()
    if work is None:
        return
    with Moment() as moment:
        asked = Asked(work.team, _nouns(work), _results(work), moment, progress(work))
        if begin(work, _total(work, asked)):
            _write_all(work, asked)


def _write_all(work: Export, asked: Asked) -> None:
    try:
        with tempfile.TemporaryFile() as out:
            _write(work, out, asked)
            out.seek(0)
            work.file.save(f"kessa-{work.pk}.{work.format}", File(out), save=False)
        Export.across_teams.filter(pk=work.pk).update(file=work.file.name)
        end(work, State.DONE)
    except Stopped:
        return
    except Exception as fault:
        end(work, State.FAILED, f"It could not be written: {type(fault).__name__}.")
        raise


def _write(work: Export, out: Any, asked: Asked) -> None:
    if work.format == Format.PACKAGE:
        return write_package(out, asked, work.licence)
    writers = {Format.WORKBOOK: write_workbook, Format.LINES: write_lines, Format.MAP: write_map}
    return writers[Format(work.format)](out, asked)


def _nouns(work: Export) -> tuple[Resource, ...]:
    """Return what whoever asked may read."""
    asker = Membership.objects.filter(team=work.team, user=work.asked_by_id).first()
    return tuple(noun for noun in resources() if asker and noun.open_to(asker.role))


def _results(work: Export) -> Any | None:
    """Return the results that were asked for by filters; None where all were."""
    if not work.filters:
        return None
    return LogFilter(work.team, QueryDict(work.filters), queryset=Result.objects.for_team(work.team)).qs


def _total(work: Export, asked: Asked) -> int:
    nouns = asked.nouns if work.format != Format.MAP else asked.nouns[:1]
    return sum(number_of(noun, work.team, asked.results, asked.moment) for noun in nouns)


@app.periodic(cron="17 3 * * *")
@app.task(name="exchange.clear_old", aliases=["kessa.exchange.tasks.clear_old"], queueing_lock="clear-old")
def clear_old(timestamp: int, **_: Any) -> None:
    """Remove files that were written a while ago."""
    before = timezone.now() - timedelta(days=Export.keeps_for_days)
    for export in Export.across_teams.filter(ended_at__lt=before).exclude(file=""):
        export.file.delete(save=False)
        Export.across_teams.filter(pk=export.pk).update(file="")
