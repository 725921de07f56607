"""Everything that changes places."""

from django.core.exceptions import ValidationError
from django.db import IntegrityError, transaction
from django.dispatch import Signal

from kessa.record.people.acts import act
from kessa.record.people.models import Membership
from kessa.record.places import may
from kessa.record.places.models import Pair, PairKind, Place

# Sent where a place was written, with it; in the same transaction.
changed = Signal()


@act("place kept", may.keep_place)
def keep_place(by: Membership, place: Place) -> Place:
    """Write a new or changed place; results already judged keep the limits they were judged by."""
    place.save()
    changed.send(Place, place=place)
    return place


@act("pair kept", may.keep_pair)
def keep_pair(by: Membership, pair: Pair) -> Pair:
    """Write a pair; raises ValidationError where the two are one already, either way, or of kinds that are none."""
    if pair.kind == PairKind.TAP and (pair.first.kind_key == "tap" or pair.second.kind_key != "tap"):
        raise ValidationError("A supply and its tap are a place of the kind tap and one of another kind.")
    if pair.kind in (PairKind.CONDENSATE, PairKind.FEED) and pair.second.kind_key != "boiler":
        raise ValidationError("Condensate and feed water belong to a boiler.")
    turned = Pair.objects.for_team(pair.team_id).filter(first=pair.second, second=pair.first)
    try:
        with transaction.atomic():
            if turned.exists():
                raise IntegrityError
            pair.save()
    except IntegrityError:
        raise ValidationError("These two places are a pair already.") from None
    _tell_of(pair)
    return pair


@act("pair parted", may.part_pair)
def part_pair(by: Membership, pair: Pair) -> None:
    """Take a pair apart; the places and their results stay."""
    pair.delete()
    _tell_of(pair)


def _tell_of(pair: Pair) -> None:
    """Let what stands at both ends follow: by number, as they may know their pairs from before."""
    for place in Place.objects.for_team(pair.team_id).filter(pk__in=(pair.first_id, pair.second_id)):
        changed.send(Place, place=place)
