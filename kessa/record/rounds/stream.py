"""Visits as the plan knows them: what is due is settled when one begins, what is missing is said when it closes."""

import uuid
from datetime import datetime
from typing import Self

from django.utils import timezone

from kessa.record.people.models import Membership
from kessa.record.rounds.field_sheet import field_sheet
from kessa.record.rounds.selectors import dues_at
from kessa.record.rounds.services import settle_dues
from kessa.record.taps.incoming import Incoming
from kessa.record.visits.stream import BEGUN, VisitStream


class PlannedVisitStream(VisitStream):
    """The taps of a visit within the plan."""

    @classmethod
    def begun(cls, by: Membership, stream: uuid.UUID, tap: Incoming, at: datetime) -> Self:
        """Begin a visit for everything that is due at the place."""
        visit = super().begun(by, stream, tap, at)
        if tap.kind == BEGUN:
            settle_dues(by, dues_at(visit.row.place, timezone.localdate(at)), visit=visit.row)
        return visit

    def left_out(self) -> list[str]:
        """Say what was left out of the visit, by its field sheet."""
        return field_sheet(self.row).missing
