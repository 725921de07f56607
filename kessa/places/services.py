"""Everything that changes places."""

from django.core.exceptions import ValidationError
from django.db import IntegrityError, transaction

from kessa.places.models import Pair, Place


def keep_place(place: Place) -> Place:
    """Write a new or changed place; results already judged keep the limits they were judged by."""
    place.save()
    return place


def keep_pair(pair: Pair) -> Pair:
    """Write a pair; raises ValidationError where the two are a pair already, in either order."""
    turned = Pair.objects.for_team(pair.team_id).filter(first=pair.second, second=pair.first)
    try:
        with transaction.atomic():
            if turned.exists():
                raise IntegrityError
            pair.save()
    except IntegrityError:
        raise ValidationError("These two places are a pair already.") from None
    return pair


def part_pair(pair: Pair) -> None:
    """Take a pair apart; the places and their results stay."""
    pair.delete()
