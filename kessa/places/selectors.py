"""Reads about places worth a name."""

from typing import Any

from django.db.models import Q

from kessa.core.judging.limits import rule_sets
from kessa.people.models import Team
from kessa.places.models import Pair, Place


def places(team: Team | int) -> Any:
    """Return a team's places by name."""
    return Place.objects.for_team(team).order_by("name")


def chosen_sets(place: Place) -> list[Any]:
    """Return the rule sets by which a place is judged."""
    return [found for key, found in rule_sets().items() if key in place.limit_sets]


def pairs_of(place: Place) -> list[tuple[Pair, Place, str]]:
    """Return a place's pairs, each with the other place and what that one is called in it."""
    rows = Pair.objects.for_team(place.team_id).filter(Q(first=place) | Q(second=place))
    return [
        (pair, pair.first, pair.ends[0]) if pair.second_id == place.pk else (pair, pair.second, pair.ends[1])
        for pair in rows.select_related("first", "second")
    ]


def reference_of(place: Place) -> Place | None:
    """Return the place this one is compared with first: upstream, the pool, the supply, before."""
    pair = Pair.objects.for_team(place.team_id).filter(second=place).select_related("first").first()
    return pair.first if pair else None
