"""Reads about places worth a name."""

from typing import Any

from django.db.models import Q

from kessa.core.judging.limits import RuleSet
from kessa.record.compiled import compiled
from kessa.record.people.models import Team
from kessa.record.places.models import Pair, PairKind, Place
from kessa.record.rules.selectors import sets_named


def places(team: Team | int) -> Any:
    """Return a team's places by name."""
    return Place.objects.for_team(team).order_by("name")


@compiled
def place_at(team: int, pk: int) -> Any:
    """Return a place."""
    return Place.objects.for_team(team).filter(pk=pk)


@compiled
def place_names(team: int) -> Any:
    """Return the numbers and names of a team's places, by name."""
    return places(team).values_list("pk", "name")


def chosen_sets(place: Place) -> tuple[RuleSet, ...]:
    """Return the rule sets by which a place is judged now."""
    return sets_named(place.team_id, place.limit_sets)


def pairs_of(place: Place) -> list[tuple[Pair, Place, str]]:
    """Return a place's pairs, each with the other place and what that one is called in it; read once for a place."""
    kept: list[tuple[Pair, Place, str]] | None = place.__dict__.get("kept_pairs")
    if kept is None:
        kept = place.__dict__["kept_pairs"] = [
            (pair, pair.first, pair.ends[0]) if pair.second_id == place.pk else (pair, pair.second, pair.ends[1])
            for pair in _pairs(team=place.team_id, place=place.pk)
        ]
    return kept


@compiled
def _pairs(team: int, place: int) -> Any:
    return Pair.objects.for_team(team).filter(Q(first=place) | Q(second=place)).select_related("first", "second")


def paired(place: Place, kind: PairKind, *, first: bool) -> list[Place]:
    """Return the other ends of those pairs of a kind in which a place is the first, or the second."""
    return [other for pair, other, _ in pairs_of(place) if pair.kind == kind and (pair.first_id == place.pk) == first]


def reference_of(place: Place) -> Place | None:
    """Return the place this one is compared with first: upstream, the pool, the supply, before."""
    return next((other for pair, other, _ in pairs_of(place) if pair.second_id == place.pk), None)


# What the other end of each kind of pair is to a limit that compares with it (see Limit.compared).
_CALLED = {PairKind.STREAM: "upstream", PairKind.DAM: "upstream", PairKind.SUPPLY: "supply"}


def compared_with(place: Place) -> dict[str, Place]:
    """Return the places with which this one is compared, the first of each by what it is to a limit."""
    found: dict[str, Place] = {}
    for pair, other, _ in pairs_of(place):
        if pair.second_id == place.pk:
            found.setdefault("reference", other)
            if pair.kind in _CALLED:
                found.setdefault(_CALLED[PairKind(pair.kind)], other)
    return found


@compiled
def names_of_places(team: int, places: list[int]) -> Any:
    """Return the numbers and names of places."""
    return Place.objects.for_team(team).filter(pk__any=places).values_list("pk", "name")
