"""A test as a stream of taps: begun, its runs, answers, and closing."""

import uuid
from datetime import datetime
from typing import Any, ClassVar, Self

from django.urls import reverse

from kessa.core.runs.events import BACK, BOTTLE, CLOSED, REOPENED
from kessa.record.compiled import read_once
from kessa.record.determinations import may
from kessa.record.determinations.models import Determination, Purpose
from kessa.record.determinations.state import bench_of
from kessa.record.determinations.tapped import carried
from kessa.record.people.acts import NotAllowed
from kessa.record.people.models import Membership
from kessa.record.taps.incoming import Incoming
from kessa.record.taps.models import Tap
from kessa.record.taps.selectors import counted
from kessa.record.taps.services import add_tap
from kessa.record.taps.streams import Stream
from kessa.record.testing import lots, services
from kessa.record.testing.closing import close
from kessa.record.testing.selectors import test_at
from kessa.record.visits.services import lent


class TestStream(Stream):
    """The taps of one test."""

    name: ClassVar[str] = "bench"
    begins_with: ClassVar[tuple[str, ...]] = (services.BEGUN,)
    ends_with: ClassVar[str] = CLOSED
    turns_with: ClassVar[tuple[str, ...]] = (CLOSED,)
    model: ClassVar[type[Any]] = Determination
    most: ClassVar[int] = 5000
    row: Determination

    @classmethod
    def held(cls, by: Membership, stream: uuid.UUID) -> Self | None:
        """Return the test with its row locked."""
        found = services.held_for_taps(team=by.team_id, pk=stream)
        return cls(by, found[0]) if found else None

    @classmethod
    def begun(cls, by: Membership, stream: uuid.UUID, tap: Incoming, at: datetime) -> Self:
        """Begin a test from what the person saw and chose."""
        if not may.begin_test(by):
            raise NotAllowed(may.begin_test.refusal)
        return cls(by, services.begun(by, stream, tap.data, at))

    @classmethod
    def lent(cls, by: Membership, stream: uuid.UUID, tap: Incoming, owner: int) -> list[tuple[datetime, datetime]]:
        """Return when the visit on which its sample was drawn was led by whom the tap names, on the owner's phone."""
        begun = Determination.objects.for_team(by.team_id).filter(pk=stream).values_list("sample__visit", flat=True)
        [visit] = begun[:1] or [services.visit_of(by, tap)]
        # A check is run on no sample: it is theirs who say on which visit they ran it.
        return lent(by, tap, owner) if tap.lent and visit in (None, tap.lent.visit) else []

    @property
    def closed(self) -> bool:
        """Whether it is written in the log."""
        return self.row.closed_at is not None

    def check(self, tap: Incoming) -> dict[str, Any]:
        """Return what a tap carries; raises BadTap or NotAllowed."""
        if tap.kind == services.BEGUN:
            return {key: value for key, value in tap.data.items() if len(str(value)) <= 2000}
        data = carried(tap, self.row)
        if tap.kind == BACK:
            target = Tap.objects.for_team(self.by.team_id).filter(pk=data["of"], stream=self.row.pk).first()
            # A tap that is not here yet comes with the same person's batch, or later.
            if target is not None and not may.take_back(self.by, target):
                raise NotAllowed("This tap is somebody else's: only they, a technician or a coordinator take it back.")
        return data

    def turns(self, kind: str, data: dict[str, Any]) -> bool:
        """Whether what comes after such a tap is checked otherwise: a sensor that was read serves no more."""
        return super().turns(kind, data) or bool(data.get("reading", {}).get("sensor"))

    @read_once()
    def happen(self, taps: list[Tap], moments: dict[uuid.UUID, datetime]) -> None:
        """Close the test where that was tapped; what comes after closing is counted as late."""
        if self.closed:
            self.row.late_taps += len(taps)
            self.row.save(update_fields=["late_taps"])
            return
        for tap in taps:
            if tap.kind == BOTTLE:
                lots.change_bottle(self.by, self.row, tap.data["lot"], moments[tap.pk])
        closing = [tap for tap in taps if tap.kind == CLOSED]
        if not closing:
            return
        self.row = test_at(team=self.by.team_id, pk=self.row.pk)[0]
        bench = bench_of(self.row, counted(self.by.team_id, self.row.pk))
        if bench.waits_for_table(self.row.method):
            # It is written when the table of its lot is.
            return
        if not bench.concluded:
            # Nothing is written yet: the closing is kept, and the test goes on.
            add_tap(self.by, self.row.pk, REOPENED, {"why": "No run is finished yet: there is nothing to write."})
            return
        close(self.by, self.row, bench, max(moments[closing[0].pk], self.row.started_at))

    @property
    def page(self) -> str:
        """The newest result, or what the check came to."""
        check = self.row.purpose != Purpose.SAMPLE
        return reverse("quality:check" if check else "results:determination", args=[self.row.pk])
