"""The one way in for taps: repeats are harmless, order does not matter, one bad tap does not hold up the rest."""

import uuid
from datetime import datetime, timedelta
from typing import Any, NamedTuple

from django.core import signing
from django.db import IntegrityError, transaction
from django.db.models import Count
from django.utils import timezone

from kessa.people import acts
from kessa.people.acts import NotAllowed
from kessa.people.models import Membership, Role
from kessa.people.selectors import members
from kessa.taps.incoming import BadTap, Incoming, read_tap
from kessa.taps.models import Tap
from kessa.taps.selectors import next_seq
from kessa.taps.streams import STREAMS, Stream
from kessa.web.compiled import compiled

_WHOSE = "kessa.taps.whose"
# A phone's clock may be off by so much without being put right; nothing happened before there was Kessa.
_CLOCK_SLACK = timedelta(minutes=2)
_FIRST_YEAR = 2000


class NoSuchStream(LookupError):
    """No visit or test of the team's has this number, and none of the taps begins one."""


class Stored(NamedTuple):
    """What became of a batch.

    `kept` are the ids that are kept (now or before), `late` those of them that came after closing, `refused` pairs of
    id and reason. `stream` is what they went to, `total` how many of its taps count now, `added` those of this batch.
    """

    kept: list[str]
    late: list[str]
    refused: list[tuple[str, str]]
    stream: Stream
    total: int
    added: int


def whose(by: Membership) -> str:
    """Return the signed name that a page gives to its taps, so that they stay this person's whoever sends them."""
    return signing.dumps([by.user_id, by.team_id], salt=_WHOSE)


def theirs(by: Membership) -> dict[int, str]:
    """Return each other member's signed name for taps on this person's phone, which only these two may send."""
    others = members(by.team_id).exclude(pk=by.user_id).values_list("pk", flat=True)
    return {pk: signing.dumps([pk, by.team_id, by.user_id], salt=_WHOSE) for pk in others}


def tapped(
    kind: str, data: dict[str, Any], *, run: str = "", at: datetime | None = None, seq: int = 1, device: str = "page"
) -> dict[str, Any]:
    """Return a tap that a page makes on the server for somebody: what a form says, as a browser would have sent it."""
    moment = (at or timezone.now()).isoformat()
    return {"id": str(uuid.uuid4()), "run": run, "kind": kind, "data": data, "seq": seq, "at": moment, "device": device}


def add_tap(by: Membership, stream: uuid.UUID, kind: str, data: dict[str, Any], run: str = "") -> Tap:
    """Write a tap of the server's own: after every tap there is, by the acting member."""
    mine = read_tap(tapped(kind, data, run=run, seq=next_seq(stream)))
    row = _row(by, stream, mine, data, by.user_id, late=False)
    row.save(force_insert=True)
    return row


def record(by: Membership, of: str, number: uuid.UUID, taps: list[Any], sent_at: datetime | None = None) -> Stored:
    """Keep a batch of taps of a visit or a test, and let what they say happen.

    `sent_at` is the sender's own clock at sending: times are put right by how far it is off. Raises NoSuchStream where
    there is none and nothing in the batch begins one.
    """
    try:
        return _record(by, of, number, taps, sent_at, look_back=False)
    except (IntegrityError, _DoesNotFit):
        # Whether a tap came before is looked up only where something does not fit: mostly none did.
        return _record(by, of, number, taps, sent_at, look_back=True)


class _DoesNotFit(Exception):
    """A tap is refused, and it is not known yet whether it was kept before."""


@transaction.atomic
def _record(
    by: Membership, of: str, number: uuid.UUID, taps: list[Any], sent_at: datetime | None, *, look_back: bool
) -> Stored:
    read, refused = _read(taps)
    now = timezone.now()
    skew = now - sent_at if sent_at and abs(now - sent_at) > _CLOCK_SLACK else timedelta(0)
    stream = STREAMS[of].held(by, number) or _begun(by, of, number, read, refused, skew, now)
    late = stream.closed
    # Where all is counted that came late too, there is an end to that as well.
    total = sum(each for came_late, each in _counts(stream=number) if late or not came_late)
    stand = _standing(read) if look_back else {}
    authors = {by.user_id: by}
    already = {pk: came_late for pk, (where, came_late) in stand.items() if where == number}
    fresh: list[Tap] = []
    for tap in read:
        if tap.id in already:
            continue
        try:
            if tap.id in stand:
                raise BadTap("This tap belongs elsewhere.")
            if total + len(fresh) >= stream.most and tap.kind != stream.ends_with:
                raise BadTap("There is no room for more taps here.")
            person = _person(by, tap.whose)
            if person not in authors:
                authors[person] = _author(by, person)
            stream.by = authors[person]
            fresh.append(_row(by, number, tap, stream.check(tap), person, late=late))
        except (BadTap, NotAllowed) as fault:
            if not look_back:
                raise _DoesNotFit from fault
            if isinstance(fault, NotAllowed):
                acts.refused(by, tap.kind.replace("_", " "), stream.row)
            refused.append((str(tap.id), str(fault)))
    if fresh:
        Tap.across_teams.bulk_create(fresh)
        stream.happen(fresh, {tap.pk: moment(tap.at, skew, now) for tap in fresh})
    kept = already | {tap.pk: tap.late for tap in fresh}
    added = 0 if late else len(fresh)
    late_ids = [str(pk) for pk, came_late in kept.items() if came_late]
    return Stored([*map(str, kept)], late_ids, refused, stream, total + added, added)


@compiled
def _counts(stream: uuid.UUID) -> Any:
    return Tap.across_teams.filter(stream=stream).values("late").annotate(each=Count("pk")).values_list("late", "each")


def _standing(read: list[Incoming]) -> dict[uuid.UUID, tuple[uuid.UUID, bool]]:
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
    read: dict[uuid.UUID, Incoming] = {}
    refused = []
    for tap in taps:
        try:
            one = read_tap(tap)
            read[one.id] = one
        except BadTap as fault:
            refused.append((str(tap.get("id"))[:80] if isinstance(tap, dict) else "", str(fault)))
    return list(read.values()), refused


def _begun(
    by: Membership,
    of: str,
    number: uuid.UUID,
    read: list[Incoming],
    refused: list[tuple[str, str]],
    skew: timedelta,
    now: datetime,
) -> Stream:
    """Begin the stream by the first tap that can; one that cannot is refused and holds up nothing else."""
    beginnings = [tap for tap in read if tap.kind in STREAMS[of].begins_with]
    for tap in sorted(beginnings, key=lambda tap: (tap.seq, tap.at, tap.id)):
        try:
            return STREAMS[of].begun(_author(by, _person(by, tap.whose)), number, tap, moment(tap.at, skew, now))
        except (BadTap, NotAllowed) as fault:
            refused.append((str(tap.id), str(fault)))
    raise NoSuchStream(refused[-1][1] if refused else "There is no such visit or test.")


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


def _author(by: Membership, person: int) -> Membership:
    """Return who made a tap, as a member: it begins and leads as its author, whoever sends it.

    Of somebody else it counts as their own alone: no role of theirs goes along on another's phone.
    """
    rows = Membership.objects.filter(team=by.team_id, user=person)
    if person == by.user_id or not rows.exists():
        return by
    return Membership(team=by.team, user_id=person, role=Role.VOLUNTEER)


def _person(by: Membership, name: str) -> int:
    """Return whose tap it is: the person who is named by this server for this team, else who sends it."""
    if not name:
        return by.user_id
    try:
        user_id, team_id, *lent = signing.loads(name, salt=_WHOSE)
    except (signing.BadSignature, ValueError, TypeError):
        raise BadTap("Whose tap this is cannot be told.") from None
    if team_id != by.team_id:
        raise BadTap("This tap is another team's.")
    if lent and by.user_id not in (user_id, *lent):
        raise BadTap("This was tapped on another person's phone: they send it.")
    return int(user_id)
