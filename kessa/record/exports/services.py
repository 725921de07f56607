"""Asking for files of the record."""

from django.core.exceptions import ValidationError
from django.http import QueryDict

from kessa.record.exports import may
from kessa.record.exports.models import Export
from kessa.record.exports.tasks import write_export
from kessa.record.long_work.models import UNDER_WAY
from kessa.record.people.acts import act
from kessa.record.people.models import Membership, Team
from kessa.record.results.filters import LogFilter

_AT_A_TIME = 3


@act("record asked for as a file", may.export)
def ask_for_export(by: Membership, team: Team, kind: str, *, licence: str = "", filters: str = "") -> Export:
    """Ask the worker for a file of the record.

    Raises ValidationError where the team has enough under way, or the filters name what is not there.
    """
    refusal = LogFilter(team, QueryDict(filters)).refusal if filters else ""
    if refusal:
        raise ValidationError(refusal)
    if Export.objects.for_team(team).filter(state__in=UNDER_WAY).count() >= _AT_A_TIME:
        raise ValidationError("Files of your team are being written just now: wait for one of them, or cancel it.")
    export: Export = Export.objects.create(
        team=team, asked_by=by.user, format=kind, licence=licence, filters=filters[:2000]
    )  # fmt: skip
    write_export.configure(lock=f"export {team.pk}").defer(export=export.pk)
    return export
