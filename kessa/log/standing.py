"""How a place stands, kept beside it."""

from typing import Any

from django.db.models import F, Q, Value
from django.db.models.functions import Coalesce
from django.dispatch import Signal

from kessa.core.judging.judge import VERDICTS, gravity
from kessa.log.history import found_lately
from kessa.log.models import Result, Standing
from kessa.people.models import Team
from kessa.places.models import Place
from kessa.places.selectors import places

# The gravest is 0; then what was not judged, and where nothing was found out.
_UNJUDGED = len(VERDICTS)
_NO_RESULT = _UNJUDGED + 1

# What only the page of a result shows.
_OF_ITS_OWN_PAGE = ("readings", "made_from", "working", "not_judged")

# Sent where the standing results of a place have changed, with the place; in the same transaction.
restated = Signal()


def restate(place: Place) -> None:
    """Keep which of a place's newest verdicts is the gravest, and let those know who act on it."""
    pressing = found_lately(place).pressing
    rows = Result.objects.for_team(place.team_id).filter(pk=pressing).values_list("verdict", flat=True)
    rank = _UNJUDGED - gravity(rows[0]) if pressing else _NO_RESULT
    kept = {"team_id": place.team_id, "result_id": pressing, "rank": rank}
    Standing.objects.for_team(place.team_id).update_or_create(place=place, defaults=kept)
    restated.send(Standing, place=place)


def places_by_state(team: Team, named: str, after: str, most: int) -> list[Place]:
    """Return places, the gravest first, each with the result by which it stands as `latest`, and one more than asked.

    `after` is the key of the last place of the page before (see place_key); a false one gives the first page.
    """
    rank, _, name = after.partition(" ")
    rows = places(team).filter(name__icontains=named).annotate(rank=Coalesce(F("standing__rank"), Value(_NO_RESULT)))
    if rank.isascii() and rank.isdigit() and len(rank) < 3:
        rows = rows.filter(Q(rank__gt=int(rank)) | Q(rank=int(rank), name__gt=name))
    return with_state(team, rows.order_by("rank", "name")[: most + 1])


def with_state(team: Team | int, rows: Any) -> list[Place]:
    """Return places, each with the result by which it stands as `latest` (None where there is none)."""
    found = list(rows.select_related("standing"))
    numbers = [place.standing.result_id for place in found if hasattr(place, "standing")]
    results = Result.objects.for_team(team).defer(*_OF_ITS_OWN_PAGE).in_bulk([pk for pk in numbers if pk])
    for place in found:
        place.latest = results.get(place.standing.result_id) if hasattr(place, "standing") else None
    return found


def place_key(place: Any) -> str:
    """Return by what the next page of places begins after one."""
    return f"{place.rank} {place.name}"
