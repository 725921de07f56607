"""Visits as the plan knows them: what is due is settled when one begins, what is missing is said when it closes."""

import uuid
from datetime import datetime
from typing import Self

from django.utils import timezone

from kessa.log.beside import READ_BESIDE
from kessa.log.closing import settle_visit
from kessa.people.models import Membership
from kessa.rounds.field_sheet import field_sheet
from kessa.rounds.selectors import dues_at
from kessa.rounds.services import settle
from kessa.taps.incoming import Incoming
from kessa.taps.models import Tap
from kessa.visits.stream import BEGUN, OBSERVED, VisitStream


class PlannedVisitStream(VisitStream):
    """The taps of a visit within the plan."""

    @classmethod
    def begun(cls, by: Membership, stream: uuid.UUID, tap: Incoming, at: datetime) -> Self:
        """Begin a visit for everything that is due at the place."""
        visit = super().begun(by, stream, tap, at)
        if tap.kind == BEGUN:
            settle(by, dues_at(visit.row.place, timezone.localdate(at)), visit=visit.row)
        return visit

    def happen(self, taps: list[Tap], moments: dict[uuid.UUID, datetime]) -> None:
        """Let what was tapped happen, and settle what follows from it."""
        super().happen(taps, moments)
        if any(tap.kind == OBSERVED and tap.run in READ_BESIDE for tap in taps):
            settle_visit(self.by, self.row)

    def left_out(self) -> list[str]:
        """Say what was left out of the visit, by its field sheet."""
        return field_sheet(self.row).missing
