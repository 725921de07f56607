"""Reads about places worth a name."""

from typing import Any

from kessa.core.limits import rule_sets
from kessa.people.models import Team
from kessa.places.models import Place


def places(team: Team) -> Any:
    """Return a team's places by name."""
    return Place.objects.for_team(team).order_by("name")


def chosen_sets(place: Place) -> list[Any]:
    """Return the rule sets by which a place is judged."""
    return [found for key, found in rule_sets().items() if key in place.limit_sets]
