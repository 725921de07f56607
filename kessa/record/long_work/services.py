"""Cancelling what is under way."""

from django.core.exceptions import ValidationError
from django.utils import timezone

from kessa.record.long_work import may
from kessa.record.long_work.models import UNDER_WAY, LongWork, State
from kessa.record.people.acts import act
from kessa.record.people.models import Membership


@act("long work cancelled", may.cancel)
def cancel(by: Membership, work: LongWork) -> LongWork:
    """Cancel what the worker has still to do, or does now: what it had done is undone by itself."""
    rows = type(work).objects.for_team(work.team_id).filter(pk=work.pk, state__in=UNDER_WAY)
    if not rows.update(state=State.CANCELLED, ended_at=timezone.now()):
        raise ValidationError("It has ended already.")
    work.refresh_from_db()
    return work
