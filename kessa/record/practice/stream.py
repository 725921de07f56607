"""A practised test as a stream of taps: the same taps as at the bench, and an end that is scored, not logged."""

import uuid
from datetime import datetime
from typing import Any, ClassVar, Self

from django.urls import reverse

from kessa.core.runs.events import CLOSED, REOPENED
from kessa.record.determinations.state import bench_of
from kessa.record.determinations.tapped import carried
from kessa.record.people.acts import NotAllowed
from kessa.record.people.models import Membership
from kessa.record.practice import may, services
from kessa.record.practice.models import Practised
from kessa.record.taps.incoming import BadTap, Incoming
from kessa.record.taps.models import Tap
from kessa.record.taps.selectors import counted
from kessa.record.taps.services import add_tap
from kessa.record.taps.streams import Stream


class PracticeStream(Stream):
    """The taps of one practised test."""

    name: ClassVar[str] = "practice"
    begins_with: ClassVar[tuple[str, ...]] = ()
    ends_with: ClassVar[str] = CLOSED
    turns_with: ClassVar[tuple[str, ...]] = (CLOSED,)
    model: ClassVar[type[Any]] = Practised
    most: ClassVar[int] = 2000
    row: Practised

    @classmethod
    def held(cls, by: Membership, stream: uuid.UUID) -> Self | None:
        """Return the go with its row locked."""
        found = services.held(by.team_id, stream)
        return cls(by, found) if found else None

    @classmethod
    def begun(cls, by: Membership, stream: uuid.UUID, tap: Incoming, at: datetime) -> Self:
        """Refuse: water is made up on the server, before the first tap."""
        raise BadTap("Practice begins on its own page.")

    @property
    def closed(self) -> bool:
        """Whether it has ended."""
        return self.row.closed_at is not None

    def check(self, tap: Incoming) -> dict[str, Any]:
        """Return what a tap carries; raises BadTap or NotAllowed."""
        if not may.go_on(self.by, self.row):
            raise NotAllowed(may.go_on.refusal)
        return carried(tap, self.row.determination)

    def happen(self, taps: list[Tap], moments: dict[uuid.UUID, datetime]) -> None:
        """Score the go where it was closed."""
        if self.closed or not any(tap.kind == CLOSED for tap in taps):
            return
        determination = self.row.determination
        bench = bench_of(determination, counted(self.by.team_id, self.row.pk))
        if not bench.concluded:
            add_tap(self.by, self.row.pk, REOPENED, {"why": "No run is finished yet: there is nothing to look at."})
            return
        services.end(self.row, bench)

    @property
    def page(self) -> str:
        """Where it is told what was right."""
        return reverse("practice:scored", args=[self.row.pk])
