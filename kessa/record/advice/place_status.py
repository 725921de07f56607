"""How a place stands, kept beside it."""

from collections.abc import Iterable
from functools import cache, partial
from typing import Any

from django.db import transaction
from django.db.models import F, Q, Value
from django.db.models.functions import Coalesce
from django.dispatch import Signal

from kessa.core.advising.advice import NOT_JUDGED, Advice, do_of
from kessa.core.advising.wording import Named, sentences
from kessa.core.judging.judge import NOT_SETTLED, VERDICTS, gravity
from kessa.core.judging.protected import PROTECTED
from kessa.core.quantities.parameters import parameter
from kessa.record.advice.advising import advised, newest_at, where_of
from kessa.record.compiled import compiled
from kessa.record.derived.over_taps import supplies_of, write_over_taps
from kessa.record.people.models import Team
from kessa.record.people.selectors import contacts_for
from kessa.record.places.models import Place
from kessa.record.places.selectors import places
from kessa.record.results.history import status_of
from kessa.record.results.models import PlaceStatus, Result
from kessa.record.together import follows_once

# The most urgent is 0; then what was not judged, and where nothing was found out.
_BY_PROTECTED = 10
_UNJUDGED = len(VERDICTS) * _BY_PROTECTED
_NO_RESULT = _UNJUDGED + _BY_PROTECTED

# What a list of places says of the result by which each stands.
_NAMED = (
    "id", "taken_at", "time_known", "parameter", "value", "low", "high", "censor", "unit", "form", "verdict",
    "method_class",
)  # fmt: skip

# Sent where the standing results of a place have changed, with the place and its advice; in the same transaction.
restated = Signal()


@follows_once
@transaction.atomic(savepoint=False)
def restate(place: Place) -> None:
    """Keep what stands at a place by all that is newest there, and let those know who act on it; then at its supply."""
    # Who closes another test there meanwhile waits, and sees what this one found: else the later would forget it.
    list(Place.objects.for_team(place.team_id).select_for_update(no_key=True).filter(pk=place.pk).values_list("pk"))
    write_over_taps(place)
    rows = newest_at(place)
    advice = advised(place, rows)
    pressing = advice.pressing.reading.key if advice.pressing else None
    rank = _rank_of(advice)
    lifted = {pk for known in status_of(place) for pk in known.lifted}
    held = [pk for pk in advice.bars_drinking if pk not in lifted] if place.water == "drinking" else []
    stands = PlaceStatus(
        team_id=place.team_id, place=place, result_id=pressing, rank=rank, advice=advice.kept(), held=held
    )
    PlaceStatus.objects.bulk_create(
        [stands],
        update_conflicts=True,
        unique_fields=["place"],
        update_fields=["result", "rank", "advice", "held"],
    )
    restated.send(PlaceStatus, place=place, advice=advice)
    for supply in supplies_of(place):
        restate(supply)


def lift(place: Place) -> None:
    """Let what was asked of those who drink at a place be over, as a person said; what is newest tells it then."""
    for known in status_of(place):
        known.lifted, known.held = sorted({*known.lifted, *known.held}), []
        known.save(update_fields=["lifted", "held"])
    restate(place)


def hold(place: Place, results: Iterable[int]) -> None:
    """Let what was lifted of some results at a place go on after all."""
    for known in status_of(place):
        known.held = sorted({*known.held, *set(results).intersection(known.lifted)})
        known.lifted = [pk for pk in known.lifted if pk not in known.held]
        known.save(update_fields=["lifted", "held"])
    restate(place)


def _rank_of(advice: Advice) -> int:
    """Return by what places are in order: the most urgent verdict, then what its limit protects."""
    worst = advice.pressing
    if worst is None:
        return _NO_RESULT
    protects = PROTECTED[worst.protects].rank if worst.protects else 0
    # What no limit judges and must be seen to all the same is as what is not settled.
    verdict = NOT_SETTLED if worst.verdict == NOT_JUDGED and advice.within_h is not None else worst.verdict
    return _UNJUDGED - gravity(verdict) * _BY_PROTECTED + protects


def places_by_state(team: Team, named: str, after: str, most: int) -> list[Place]:
    """Return places, most urgent first, each with the result by which it stands as `latest`, and one more than asked.

    `after` is the key of the last place of the page before (see place_key); a false one gives the first page.
    """
    rank, _, name = after.partition(" ")
    rows = places(team).filter(name__icontains=named).annotate(rank=Coalesce(F("status__rank"), Value(_NO_RESULT)))
    if rank.isascii() and rank.isdigit() and len(rank) < 3:
        rows = rows.filter(Q(rank__gt=int(rank)) | Q(rank=int(rank), name__gt=name))
    return with_state(team.pk, rows.order_by("rank", "name")[: most + 1], drawn=True)


def with_state(team: int, rows: Any, *, drawn: bool = False) -> list[Place]:
    """Return places, each with the result by which it stands as `latest`; None where there is none.

    As plain values: what names it, and where it is `drawn` what its scale shows.
    """
    found = list(rows.select_related("status").defer("status__advice"))
    numbers = [place.status.result_id for place in found if hasattr(place, "status")]
    read = _drawn if drawn else _named
    results = {each.id: each for each in read(team=team, results=[pk for pk in numbers if pk])}
    for place in found:
        place.latest = results.get(place.status.result_id) if hasattr(place, "status") else None
    return found


@compiled
def _named(team: int, results: list[int]) -> Any:
    # Whether a limit speaks of it is asked of the database: what each says is long, and many places are named.
    spoken_of = ~Q(judgements=[], not_judged=[])
    rows = Result.objects.for_team(team).filter(pk__any=results).annotate(spoken_of=spoken_of)
    return rows.values_list(*_NAMED, "spoken_of", named=True)


@compiled
def _drawn(team: int, results: list[int]) -> Any:
    rows = Result.objects.for_team(team).filter(pk__any=results)
    return rows.values_list(*_NAMED, "judgements", "not_judged", "usual", named=True)


def first_steps(team: Team, rows: Iterable[Any]) -> dict[int, str]:
    """Return what comes first to be done about each of some results, by their numbers, as kept beside their places."""
    rows = list(rows)
    contacts = cache(partial(contacts_for, rank=0))
    kept = PlaceStatus.objects.for_team(team).filter(place__in={row.place_id for row in rows}).select_related("place")
    by_place = {each.place_id: each for each in kept} if rows else {}
    data = {}
    for row in rows:
        found = by_place.get(row.place_id)
        if found is None:
            continue
        where, key = where_of(found.place), parameter(row.parameter).key
        # Whom the team tells in such water, without asking for the pairs of each place.
        named = Named(contacts(found.team_id, found.place.water))
        # Kept before advice was: what stands there tells it.
        do = do_of(found.advice) if found.advice else advised(found.place, newest_at(found.place)).do
        steps = sentences(do, where, named, about=key, of_the_test=row.test_asks)
        data[row.pk] = next(iter(steps), "")
    return data


def place_key(place: Any) -> str:
    """Return by what the next page of places begins after one."""
    return f"{place.rank} {place.name}"
