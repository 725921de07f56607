"""Bringing files of past results, matching and mending them, importing and undoing them."""

import hashlib
import re
from typing import Any

from django.core.exceptions import ValidationError

from kessa.record.imports import may
from kessa.record.imports.models import Doubtful, Import, Matching, Stage, digest_of
from kessa.record.imports.rows import Doubt, Reader
from kessa.record.imports.tasks import check_import, look_for_table, put_back, undo_import, write_import
from kessa.record.long_work import services as long_work
from kessa.record.long_work.models import State
from kessa.record.people.acts import act
from kessa.record.people.models import Membership, Team
from kessa.record.reports.selectors import issued_with
from kessa.record.results.models import Result
from kessa.record.visits.models import Review, Visit


@act("past results brought", may.import_results)
def bring(by: Membership, team: Team, file: Any) -> Import:
    """Bring a file of old results, and have its table looked for.

    Raises ValidationError for a file that is in the record already.
    """
    digest = hashlib.file_digest(file.open("rb"), "sha256").hexdigest()
    rows = Import.objects.for_team(team).filter(digest=digest).exclude(stage=Stage.UNDONE)
    before = rows.exclude(state=State.FAILED, head=[]).order_by("-pk").first()
    if before:
        raise ValidationError(f"This very file is here already, as “{before}”: {before.get_stage_display()}.")
    name = str(file.name or "table")[-120:]
    imported = Import(team=team, asked_by=by.user, name=name, digest=digest)
    imported.file.save(f"{imported.number}.table", file, save=False)
    imported.save()
    look_for_table.configure(lock=f"import {team.pk}").defer(imported=imported.pk, sheet="", head="")
    return imported


@act("table pointed at", may.import_results)
def point(by: Membership, imported: Import, sheet: str, head: str) -> Import:
    """Say on which sheet of a file its table is, and in which row or two rows its heads stand ("3", "3-4").

    Raises ValidationError where there is no such sheet.
    """
    held = _held(imported, Stage.MATCHING, Stage.MENDING)
    if (sheet and sheet not in held.told.get("sheets", ())) or not re.fullmatch(r"(?:[1-9]\d?(?:-[1-9]\d?)?)?", head):
        raise ValidationError("There is no such table in this file.")
    return _set_going(held, Stage.LOOKING, look_for_table, sheet=sheet, head=head)


@act("columns matched", may.import_results)
def match(by: Membership, imported: Import, columns: list[dict[str, str]], reading: dict[str, str]) -> Import:
    """Say what a file's columns are about, which is remembered, and have every row read.

    Raises ValidationError with all that has to be said still.
    """
    held = _held(imported, Stage.MATCHING, Stage.MENDING)
    reading = reading | {name: held.reading.get(name, "") for name in ("sheet", "head")}
    faults = Reader(held.team, columns, reading).faults()
    if faults:
        raise ValidationError(faults)
    # What was asked, or what is said otherwise than was guessed, a person said.
    said = set(held.reading.get("said", [])) | {
        name for name in ("mark", "order") if reading.get(name) != held.reading.get(name)
    }
    held.columns, held.reading = columns, reading | {"said": sorted(said)}
    Matching.objects.for_team(held.team_id).update_or_create(
        team_id=held.team_id, heads=digest_of(held.head), defaults={"columns": columns, "reading": reading}
    )
    return _set_going(held, Stage.CHECKING, check_import)


@act("row mended", may.import_results)
def mend(by: Membership, imported: Import, number: int, cells: list[str] | None) -> Doubtful:
    """Write a doubtful row as it should have been, or leave it out (None); what is still doubtful about it stays."""
    held = _held(imported, Stage.MENDING)
    row: Doubtful = Doubtful.objects.for_team(held.team_id).get(imported=held, number=number)
    if cells is None:
        row.mended, row.why = [], []
    else:
        found = Reader(held.team, held.columns, held.reading).read(number, cells)
        row.mended, row.why = cells, found.why if isinstance(found, Doubt) else []
    row.save(update_fields=["mended", "why"])
    return row


@act("past results imported", may.import_results)
def import_file(by: Membership, imported: Import) -> Import:
    """Have what was found in a file written into the record."""
    return _set_going(_held(imported, Stage.MENDING), Stage.WRITING, write_import)


@act("import undone", may.undo)
def undo(by: Membership, imported: Import) -> Import:
    """Have everything that came of a file taken out of the record again.

    Raises ValidationError where some of it was reviewed, released, or stands in a report that was issued.
    """
    held = _held(imported, Stage.IN)
    of_it = Visit.objects.for_team(held.team_id).filter(taken_in=held.number)
    results = Result.objects.for_team(held.team_id).filter(visit__in=of_it)
    issued = issued_with(held.team_id, results, held.asked_at)
    if issued:
        raise ValidationError(
            f"Some of its results stand in report {issued}: exclude results instead, each with a reason."
        )
    if of_it.exclude(review=Review.NEW).exists() or of_it.filter(review_steps__isnull=False).exists():
        raise ValidationError(
            "Some of it was reviewed or released, and can be undone no more: set results aside instead."
        )
    return _set_going(held, Stage.UNDOING, undo_import)


def cancel(by: Membership, imported: Import) -> None:
    """Cancel what is under way with a file; it is as it was before. Raises ValidationError where nothing is."""
    long_work.cancel(by, imported)
    # Also where nobody had begun, or who had begun is dead.
    put_back.configure(lock=f"import {imported.team_id}").defer(imported=imported.pk)


def _held(imported: Import, *stages: Stage) -> Import:
    rows = Import.objects.for_team(imported.team_id).select_for_update(of=("self",)).select_related("team")
    held: Import = rows.get(pk=imported.pk)
    if held.stage not in stages:
        raise ValidationError(f"“{held}”: {held.get_stage_display()}.")
    return held


def _set_going(held: Import, stage: Stage, task: Any, **how: str) -> Import:
    held.stage, held.state, held.done, held.fault = stage, State.ASKED, 0, ""
    held.save()
    task.configure(lock=f"import {held.team_id}").defer(imported=held.pk, **how)
    return held
