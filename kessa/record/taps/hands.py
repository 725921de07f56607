"""Whose hand a tap was: of whom whose page made it, of whom the visit was handed to there, or of who sends it."""

import uuid
from datetime import datetime, timedelta

from django.core import signing

from kessa.record.people.models import Membership, Role
from kessa.record.taps.incoming import BadTap, Incoming, Lent, Waits
from kessa.record.taps.streams import STREAMS

_WHOSE = "kessa.taps.whose"
# So long another person who is signed in on the phone may send what its owner tapped.
_BY_OTHERS_FOR = timedelta(days=30)
# A phone's clock may be off by so much without being put right.
CLOCK_SLACK = timedelta(minutes=2)
# From when until when a name was lent on a phone, by what was lent, whose phone it is and which of theirs.
Windows = dict[tuple[Lent, int, str], list[tuple[datetime, datetime]]]


def whose(by: Membership) -> str:
    """Return the signed name that a page gives to its taps, so that they stay this person's whoever sends them."""
    return signing.dumps([by.user_id, by.team_id], salt=_WHOSE)


def hand_of(by: Membership, of: str, number: uuid.UUID, tap: Incoming, known: Windows) -> int:
    """Return whose tap it is: whose page made it, who took the visit over on it, or who sends it."""
    owner = _owner(by, tap.whose)
    if tap.lent is None or tap.lent.to == owner:
        return owner
    asked = (tap.lent, owner, tap.device)
    if asked not in known:
        known[asked] = STREAMS[of].lent(by, number, tap, owner)
    if not any(since <= tap.at <= until for since, until in known[asked]):
        raise Waits("It waits until whoever tapped it takes the visit over here with a PIN, or signs in and says so.")
    return tap.lent.to


def as_member(by: Membership, person: int) -> Membership:
    """Return who made a tap, as a member: it begins and leads as its author, whoever sends it.

    Of somebody else it counts as their own alone: no role of theirs goes along on another's phone.
    """
    return by if person == by.user_id else Membership(team=by.team, user_id=person, role=Role.VOLUNTEER)


def _owner(by: Membership, name: str) -> int:
    """Return the person who is named by this server for this team, else who sends it."""
    if not name:
        return by.user_id
    try:
        user_id, team_id = signing.loads(name, salt=_WHOSE)
        if user_id != by.user_id:
            signing.loads(name, salt=_WHOSE, max_age=_BY_OTHERS_FOR)
    except signing.SignatureExpired:
        raise Waits("This was tapped long ago by somebody else: it waits until they are signed in here.") from None
    except (signing.BadSignature, ValueError, TypeError):
        raise BadTap("Whose tap this is cannot be told.") from None
    if team_id != by.team_id:
        raise Waits("This tap is another team's: it waits until somebody of that team is signed in here.")
    return int(user_id)
