"""Asking for files of the record, and cancelling what is under way."""

from datetime import timedelta
from functools import partial

from django.core.exceptions import ValidationError
from django.db import transaction
from django.utils import timezone

from kessa.exchange import may
from kessa.exchange.models import UNDER_WAY, Export, LongWork, State
from kessa.people.acts import act
from kessa.people.models import Membership, Team

_AT_A_TIME = 3


@act("record asked for as a file", may.export)
def ask_for_export(by: Membership, team: Team, kind: str, *, licence: str = "", filters: str = "") -> Export:
    """Ask the worker for a file of the record. Raises ValidationError where the team has enough under way."""
    from kessa.exchange.tasks import write_export  # noqa: PLC0415 # tasks know services

    if Export.objects.for_team(team).filter(state__in=UNDER_WAY).count() >= _AT_A_TIME:
        raise ValidationError("Files of your team are being written just now: wait for one of them, or cancel it.")
    export: Export = Export.objects.create(
        team=team, asked_by=by.user, format=kind, licence=licence, filters=filters[:2000]
    )  # fmt: skip
    transaction.on_commit(partial(write_export.defer, export=export.pk))
    return export


@act("long work cancelled", may.cancel)
def cancel(by: Membership, work: LongWork) -> LongWork:
    """Cancel what the worker has still to do, or does now: what it had done is undone by itself."""
    rows = type(work).objects.for_team(work.team_id).filter(pk=work.pk, state__in=UNDER_WAY)
    if not rows.update(state=State.CANCELLED, ended_at=timezone.now()):
        raise ValidationError("It has ended already.")
    work.refresh_from_db()
    return work


def clear_old() -> int:
    """Remove files that were written a while ago; return how many."""
    before = timezone.now() - timedelta(days=Export.keeps_for_days)
    old = Export.across_teams.filter(ended_at__lt=before).exclude(file="")
    for export in old:
        export.file.delete(save=False)
        Export.across_teams.filter(pk=export.pk).update(file="")
    return len(old)
