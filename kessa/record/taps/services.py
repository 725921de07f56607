"""The one way in for taps: repeats are harmless, order does not matter, one bad tap does not hold up the rest."""

import uuid
from datetime import datetime, timedelta
from typing import Any, NamedTuple

from django.db import IntegrityError, transaction
from django.db.models import Count, Max
from django.utils import timezone

from kessa.record.compiled import compiled
from kessa.record.people import acts
from kessa.record.people.acts import NotAllowed
from kessa.record.people.models import Membership
from kessa.record.taps.hands import CLOCK_SLACK, Windows, as_member, hand_of
from kessa.record.taps.incoming import BadTap, Dropped, Incoming, Waits, read_tap
from kessa.record.taps.models import Tap
from kessa.record.taps.selectors import is_taken, next_seq
from kessa.record.taps.streams import STREAMS, Stream

# Nothing happened before there was Kessa.
_FIRST_YEAR = 2000
# How far a sequence number may lie ahead: of what was tapped and refused, or is still on its way from another phone.
_SEQ_AHEAD = 10_000


class NoSuchStream(LookupError):
    """No visit or test of the team's has this number, and none of the taps begins one: they wait.

    `refused` are those that are refused for good, with the reason of each; the message says why none begins.
    """

    def __init__(self, why: str, refused: list[tuple[str, str]]) -> None:
        super().__init__(why)
        self.refused = refused


class Stored(NamedTuple):
    """What became of a batch.

    `kept` are the ids that are kept (now or before), `late` those of them that came after closing; `refused` and
    `waits` are pairs of id and reason: what somebody has to mend or drop, and what is sent again as it is. `stream` is
    what they went to, `total` how many of its taps count now, `added` those of this batch.
    """

    kept: list[str]
    late: list[str]
    refused: list[tuple[str, str]]
    waits: list[tuple[str, str]]
    stream: Stream
    total: int
    added: int
    # The kinds of those that are refused because the person may not.
    forbidden: list[str]


def tapped(
    kind: str, data: dict[str, Any], *, run: str = "", at: datetime | None = None, seq: int = 1, device: str = "page"
) -> dict[str, Any]:
    """Return a tap that a page makes on the server for somebody: what a form says, as a browser would have sent it."""
    moment = (at or timezone.now()).isoformat()
    return {"id": str(uuid.uuid4()), "run": run, "kind": kind, "data": data, "seq": seq, "at": moment, "device": device}


def add_tap(by: Membership, stream: uuid.UUID, kind: str, data: dict[str, Any], run: str = "") -> Tap:
    """Write a tap of the server's own: after every tap there is, by the acting member."""
    mine = Incoming(uuid.uuid4(), run, kind, data, next_seq(stream), timezone.now(), "page", "")
    row = _row(by, stream, mine, data, by.user_id, late=False)
    row.save(force_insert=True)
    return row


def record(by: Membership, of: str, number: uuid.UUID, taps: list[Any], sent_at: datetime | None = None) -> Stored:
    """Keep a batch of taps of a visit or a test, and let what they say happen, one after another.

    `sent_at` is the sender's own clock at sending: times are put right by how far it is off. Raises NoSuchStream where
    there is none and nothing in the batch begins one.
    """
    # What is looked at once is not undone and looked at again: a PIN that is wrong is a try.
    once = any(isinstance(tap, dict) and tap.get("kind") in STREAMS[of].looked_at_once for tap in taps)
    try:
        return _record(by, of, number, taps, sent_at, look_back=once)
    except (IntegrityError, _DoesNotFit):
        # Whether a tap came before is looked up only where something does not fit: mostly none did.
        return _record(by, of, number, taps, sent_at, look_back=True)


def record_whole(by: Membership, of: str, number: uuid.UUID, taps: list[Any]) -> Stored:
    """Keep all of the taps or none, as a page or a program sends what belongs together.

    Raises BadTap with the first reason where one is refused, NoSuchStream where there is nothing to keep them in. What
    a person may not is noted all the same.
    """
    try:
        with transaction.atomic():
            stored = record(by, of, number, taps)
            not_kept = stored.refused + stored.waits
            if not_kept:
                transaction.set_rollback(True)
    except NoSuchStream as missing:
        if any(tap["kind"] in STREAMS[of].begins_with for tap in taps):
            raise BadTap(str(missing)) from None
        raise
    if not_kept:
        for kind in stored.forbidden:
            acts.refused(by, kind, stored.stream.row)
        raise BadTap(not_kept[0][1])
    return stored


def end_refused(by: Membership, given: Dropped) -> None:
    """Note that taps were dropped on a phone, or that another was made instead of one, with the reason."""
    row = STREAMS[given.of].model.objects.for_team(by.team_id).filter(pk=given.stream).first()
    what = "waiting taps dropped" if given.instead is None else "refused tap corrected"
    changes = {f"{was.kind} {was.run}".replace("_", " ").strip(): [was.data, given.instead] for was in given.taps}
    acts.noted(by, what, row, changes, given.why)


class _DoesNotFit(Exception):
    """A tap is not kept, and it is not known yet whether it was before."""


@transaction.atomic
def _record(
    by: Membership, of: str, number: uuid.UUID, taps: list[Any], sent_at: datetime | None, *, look_back: bool
) -> Stored:
    read, refused = _read(taps)
    now = timezone.now()
    skew = now - sent_at if sent_at and abs(now - sent_at) > CLOCK_SLACK else timedelta(0)
    moments = {tap.id: moment(tap.at, skew, now) for tap in read}
    stream = STREAMS[of].held(by, number)
    if stream is None:
        stream, not_begun = _begun(by, of, number, read, refused, moments)
        refused += not_begun
        read = [tap for tap in read if str(tap.id) not in dict(not_begun)]
    stand = _kept_before(read) if look_back else {}
    keeping = _Keeping(by, stream, number, moments, len(read))
    keeping.kept = {pk: came_late for pk, (where, came_late) in stand.items() if where == number}
    waits: list[tuple[str, str]] = []
    forbidden: list[str] = []
    for tap in read:
        if tap.id in keeping.kept:
            continue
        try:
            keeping.keep(tap, stands_elsewhere=tap.id in stand)
        except (BadTap, NotAllowed) as fault:
            if not look_back:
                raise _DoesNotFit from fault
            if isinstance(fault, NotAllowed):
                forbidden.append(tap.kind.replace("_", " "))
                acts.refused(by, forbidden[-1], stream.row)
            (waits if isinstance(fault, Waits) else refused).append((str(tap.id), str(fault)))
    keeping.happen()
    late = [str(pk) for pk, came_late in keeping.kept.items() if came_late]
    return Stored([*map(str, keeping.kept)], late, refused, waits, stream, keeping.in_time, keeping.added, forbidden)


class _Keeping:
    """A batch that is being kept: each tap is checked with all that went before it."""

    def __init__(
        self, by: Membership, stream: Stream, number: uuid.UUID, moments: dict[uuid.UUID, datetime], many: int
    ) -> None:
        self.by, self.stream, self.number, self.moments = by, stream, number, moments
        stream.sender = by
        counts = _counts(stream=number)
        self.in_time = sum(each for late, each, _ in counts if not late)
        self.total = sum(each for _, each, _ in counts)
        self.last_seq = max((last for *_, last in counts), default=0) + many + _SEQ_AHEAD
        self.added = 0
        self.kept: dict[uuid.UUID, bool] = {}
        self.fresh: list[Tap] = []
        self.authors = {by.user_id: by}
        self.lent: Windows = {}

    def keep(self, tap: Incoming, *, stands_elsewhere: bool) -> None:
        """Keep a tap; raises BadTap or NotAllowed."""
        if stands_elsewhere:
            raise BadTap("This tap belongs elsewhere.")
        if self.total >= self.stream.most and tap.kind != self.stream.ends_with:
            raise BadTap("There is no room for more taps here.")
        if tap.seq > self.last_seq:
            raise BadTap("The sequence number of this tap lies far beyond those before it.")
        person = hand_of(self.by, self.stream.name, self.number, tap, self.lent)
        if person not in self.authors:
            self.authors[person] = as_member(self.by, person)
        self.stream.by = self.authors[person]
        data = _checked(self.stream, tap, self.by)
        person = self.stream.hand(tap, data, person)
        row = _row(self.by, self.number, tap, data, person, late=self.stream.closed)
        self.fresh.append(row)
        self.kept[tap.id] = row.late
        self.total += 1
        self.added += not row.late
        # What comes after it is checked by what it made of the stream.
        if self.stream.turns(tap.kind, data):
            self.happen()

    def happen(self) -> None:
        """Write what was kept since, and let it happen."""
        if not self.fresh:
            return
        Tap.across_teams.bulk_create(self.fresh)
        self.stream.happen(self.fresh, self.moments)
        self.in_time += sum(not tap.late for tap in self.fresh)
        self.fresh = []
        self.lent = {}


def _checked(stream: Stream, tap: Incoming, by: Membership) -> dict[str, Any]:
    """Return what a tap carries; what only its author may do, signed in themselves, waits for them."""
    try:
        return stream.check(tap)
    except NotAllowed as fault:
        if stream.by is by:
            raise
        raise Waits(f"{fault} It waits until {stream.by.user} is signed in here.") from None


@compiled
def _counts(stream: uuid.UUID) -> Any:
    """Return how many taps of a stream came in time and how many late, and the last sequence number of each."""
    rows = Tap.across_teams.filter(stream=stream).values("late")
    return rows.annotate(each=Count("pk"), last=Max("seq")).values_list("late", "each", "last")


def _kept_before(read: list[Incoming]) -> dict[uuid.UUID, tuple[uuid.UUID, bool]]:
    """Return where taps that were kept before stand, and whether they came late, by id."""
    before = Tap.across_teams.filter(pk__in=[tap.id for tap in read])
    return {pk: (where, late) for pk, where, late in before.values_list("pk", "stream", "late")}


def moment(at: datetime, skew: timedelta, now: datetime) -> datetime:
    """Return when something happened by the server's clock: never later than now, never before there was Kessa."""
    try:
        happened = at + skew
    except OverflowError:
        return now
    return min(happened, now) if happened.year >= _FIRST_YEAR else now


def _read(taps: list[Any]) -> tuple[list[Incoming], list[tuple[str, str]]]:
    """Return the taps of a batch in their order, and those whose shape is none."""
    read: dict[uuid.UUID, Incoming] = {}
    refused = []
    for tap in taps:
        try:
            one = read_tap(tap)
            read[one.id] = one
        except BadTap as fault:
            refused.append((str(tap.get("id"))[:80] if isinstance(tap, dict) else "", str(fault)))
    return sorted(read.values(), key=lambda tap: tap.order), refused


def _begun(
    by: Membership,
    of: str,
    number: uuid.UUID,
    read: list[Incoming],
    refused: list[tuple[str, str]],
    moments: dict[uuid.UUID, datetime],
) -> tuple[Stream, list[tuple[str, str]]]:
    """Begin the stream by the first tap that can; also return those that cannot, each with its reason."""
    not_begun: list[tuple[str, str]] = []
    why = refused[-1][1] if refused else "There is no such visit or test."
    for tap in read:
        if tap.kind not in STREAMS[of].begins_with:
            continue
        try:
            if any(is_taken(each.model, number) for each in STREAMS.values()):
                # Somebody else was first by a moment, or it is another thing's number.
                if stream := STREAMS[of].held(by, number):
                    return stream, not_begun
                raise BadTap("This number is another thing's: begin again.")
            author = as_member(by, hand_of(by, of, number, tap, {}))
            return STREAMS[of].begun(author, number, tap, moments[tap.id]), not_begun
        except (BadTap, NotAllowed) as fault:
            why = str(fault)
            if not isinstance(fault, Waits):
                not_begun.append((str(tap.id), why))
    raise NoSuchStream(why, refused + not_begun)


def _row(by: Membership, number: uuid.UUID, tap: Incoming, data: dict[str, Any], person: int, *, late: bool) -> Tap:
    return Tap(
        id=tap.id,
        team_id=by.team_id,
        stream=number,
        run=tap.run,
        kind=tap.kind,
        data=data,
        seq=tap.seq,
        at=tap.at,
        device=tap.device,
        person_id=person,
        sent_by_id=by.user_id if person != by.user_id else None,
        late=late,
    )
