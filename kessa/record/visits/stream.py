"""A visit as a stream of taps: begun, noted, samples drawn, paused, handed on, closed."""

import uuid
from datetime import datetime
from typing import Any, ClassVar, Self

from django.urls import reverse

from kessa.record.people.acts import NotAllowed
from kessa.record.people.models import Membership
from kessa.record.people.selectors import members
from kessa.record.places.models import Place
from kessa.record.rules.selectors import house_rules_at
from kessa.record.taps.incoming import BadTap, Incoming, is_key
from kessa.record.taps.models import Tap
from kessa.record.taps.streams import Stream
from kessa.record.visits import may, services
from kessa.record.visits.models import Visit
from kessa.record.visits.noted import drawn, observed, text
from kessa.record.visits.safety import SafetyForm

BEGUN, OBSERVED, NOTED, DRAWN = "visit_begun", "observed", "note_written", "sample_drawn"
PAUSED, RESUMED, HANDED, TOOK_OVER, CLOSED = "paused", "resumed", "handed_over", "took_over", "visit_closed"

# What changes in whose hands a phone is.
_IN_HANDS = {HANDED: services.hand_over, TOOK_OVER: services.take_over}


class VisitStream(Stream):
    """The taps of one visit."""

    name: ClassVar[str] = "visit"
    begins_with: ClassVar[tuple[str, ...]] = (BEGUN, DRAWN)
    ends_with: ClassVar[str] = CLOSED
    turns_with: ClassVar[tuple[str, ...]] = (HANDED, TOOK_OVER, CLOSED)
    looked_at_once: ClassVar[tuple[str, ...]] = (TOOK_OVER,)
    model: ClassVar[type[Any]] = Visit
    most: ClassVar[int] = 2000
    row: Visit

    @classmethod
    def held(cls, by: Membership, stream: uuid.UUID) -> Self | None:
        """Return the visit with its row locked."""
        found = services.held_visit(team=by.team_id, pk=stream)
        return cls(by, found[0]) if found else None

    @classmethod
    def begun(cls, by: Membership, stream: uuid.UUID, tap: Incoming, at: datetime) -> Self:
        """Begin a visit with its safety confirmed, or note the time around a sample that was drawn by itself."""
        if not may.begin_visit(by):
            raise NotAllowed(may.begin_visit.refusal)
        place = _place(by, tap.data.get("place"))
        if tap.kind == DRAWN:
            return cls(by, services.stop_by(by, stream, place, at))
        given = tap.data.get("safety") if isinstance(tap.data.get("safety"), dict) else {}
        form = SafetyForm(place, given, rules=house_rules_at(by.team_id, at))
        if not form.is_valid():
            raise BadTap(" ".join(f"{name}: {error}" for name, errors in form.errors.items() for error in errors))
        along = {"along_at": tap.data["along_at"]} if _is_moment(tap.data.get("along_at")) else {}
        return cls(by, services.begin_visit(by, stream, place, form.confirmed() | along, at))

    @classmethod
    def lent(cls, by: Membership, stream: uuid.UUID, tap: Incoming, owner: int) -> list[tuple[datetime, datetime]]:
        """Return when this visit was led by whom the tap names, on the owner's phone."""
        return services.lent(by, tap, owner) if tap.lent and tap.lent.visit == stream else []

    @property
    def closed(self) -> bool:
        """Whether the visit is closed; one without a leader never is."""
        return self.row.closed_at is not None

    @property
    def page(self) -> str:
        """The visit's page."""
        return reverse("visits:visit", args=[self.row.pk])

    def check(self, tap: Incoming) -> dict[str, Any]:
        """Return what a tap carries; raises BadTap or NotAllowed."""
        if tap.kind == BEGUN:
            data = dict(self.row.safety)
            along = {"along_at": data.pop("along_at")} if "along_at" in data else {}
            return {"place": self.row.place_id, "safety": data, **along}
        if tap.kind == OBSERVED:
            return observed(tap, self.row)
        if tap.kind == NOTED:
            return {"text": text(tap.data.get("text"), 1000, "A note")}
        if tap.kind == DRAWN:
            data = drawn(tap, self.row.team_id)
            if data["bottle"]:
                services.check_bottle(self.row.place, data["bottle"])
            return data
        if tap.kind == TOOK_OVER:
            return services.taken_over(self.sender, self.row, tap, self.by.user_id)
        if tap.kind not in (PAUSED, RESUMED, HANDED, CLOSED):
            raise BadTap("This kind of tap is not known on a visit.")
        if not self.closed:
            services.check_lead(self.by, self.row, tap)
        return self._led(tap)

    def hand(self, tap: Incoming, data: dict[str, Any], person: int) -> int:
        """A visit is taken over by who takes it, whose page it is done on."""
        return int(data["taker"]) if tap.kind == TOOK_OVER else person

    def _led(self, tap: Incoming) -> dict[str, Any]:
        if tap.kind in (PAUSED, RESUMED):
            return {}
        remark = text(tap.data.get("remark"), 1000 if tap.kind == CLOSED else 300, "A remark")
        if tap.kind == CLOSED:
            return {"remark": remark}
        taker = tap.data.get("taker")
        if not is_key(taker) or not members(self.row.team_id).filter(pk=taker).exists():
            raise BadTap("Choose someone of your team.")
        return {"taker": taker, "remark": remark}

    def happen(self, taps: list[Tap], moments: dict[uuid.UUID, datetime]) -> None:
        """Let what was tapped happen, in order; of what came after closing only in whose hands a phone is."""
        for tap in taps:
            if in_hands := _IN_HANDS.get(tap.kind):
                in_hands(self.row, tap, moments[tap.pk])
        if self.closed:
            return
        noted = [tap for tap in taps if tap.kind == OBSERVED]
        if noted:
            services.note(self.by, self.row, noted, moments)
        if any(tap.kind == NOTED for tap in taps):
            services.write_note(self.row)
        for tap in taps:
            if tap.kind == DRAWN:
                services.draw_sample(self.row, tap, moments[tap.pk])
            elif tap.kind in (PAUSED, RESUMED, HANDED):
                services.lead_on(self.row, tap, moments[tap.pk])
            elif tap.kind == CLOSED:
                services.close_visit(self.row, tap, moments[tap.pk], self.left_out())

    def left_out(self) -> list[str]:
        """Say what was left out of the visit, as it is closed."""
        return []


def _is_moment(given: Any) -> bool:
    try:
        return datetime.fromisoformat(str(given)).tzinfo is not None
    except ValueError:
        return False


def _place(by: Membership, number: Any) -> Place:
    found: Place | None = None
    if is_key(number):
        found = Place.objects.for_team(by.team_id).filter(pk=number).select_related("team").first()
    if found is None:
        raise BadTap("Your team has no such place.")
    return found
