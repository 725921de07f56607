"""Reads of the log worth a name."""

from datetime import timedelta
from typing import Any, NamedTuple

from django.core import signing
from django.db.models import Exists, OuterRef, Q, QuerySet, Subquery
from django.utils import timezone
from django.utils.dateparse import parse_datetime

from kessa.bench.models import Determination, Result
from kessa.people.models import Team
from kessa.places.models import Place
from kessa.visits.models import Visit

PAGE = 30
_CHART = 84
_FOLLOW_UP = timedelta(days=60)
_REPEAT_FLAGS = ["not-agreed", "one-run", "over-range", "blank-bad"]


class Page(NamedTuple):
    """One page of the log, and the key of the next."""

    results: list[Result]
    next_key: str | None


def log_of(team: Team) -> Any:
    """Return a team's results with what a row of the log shows."""
    return (
        Result.objects.for_team(team)
        .select_related("place", "person", "determination__sample")
        .defer("determination__method_definition", "working", "next_steps")
        .newest_first()
    )


def page_after(results: QuerySet[Result], key: str | None) -> Page:
    """Return the results after the key of the page before: the next older ones. A false key gives the first page."""
    if key:
        try:
            taken_at, pk = signing.loads(key, salt="kessa.log.page")
            at = parse_datetime(taken_at)
            results = results.filter(Q(taken_at__lt=at) | Q(pk__lt=pk), taken_at__lte=at)
        except (signing.BadSignature, ValueError):
            pass
    rows = list(results[: PAGE + 1])
    if len(rows) <= PAGE:
        return Page(rows, None)
    last = rows[PAGE - 1]
    return Page(rows[:PAGE], signing.dumps([last.taken_at.isoformat(), last.pk], salt="kessa.log.page"))


def latest_results(place: Place, most: int = _CHART, **of: str) -> list[Result]:
    """Return a place's standing results `of` a parameter or series, newest first, by default as many as a chart shows.

    A floor that was repeated in a higher range is left out: the repeat says more.
    """
    rows = Result.objects.for_team(place.team_id).standing().filter(place=place, **of)
    newest = list(rows.defer("readings", "working", "judgements", "usual", "next_steps").newest_first()[:most])
    floors = [result.determination_id for result in newest if result.censor == ">"]
    repeated = Determination.objects.for_team(place.team_id).filter(continues__in=floors)
    left_out = set(repeated.values_list("continues_id", flat=True))
    return [result for result in newest if result.determination_id not in left_out]


def with_latest_result(places: Any) -> list[Place]:
    """Return places, each with its newest standing result as `latest` (None where there is none)."""
    newest = Result.across_teams.filter(place=OuterRef("pk"), superseded_at=None).order_by("-taken_at", "-id")
    found = list(places.annotate(latest_pk=Subquery(newest.values("pk")[:1])))
    results = Result.across_teams.in_bulk([place.latest_pk for place in found if place.latest_pk])
    for place in found:
        place.latest = results.get(place.latest_pk)
    return found


def latest_visit(place: Place) -> tuple[Visit, list[Result]] | None:
    """Return a place's latest visit that has results, with them; None before the first."""
    newest = log_of(place.team_id).standing().filter(place=place).select_related("determination__sample__visit").first()
    if newest is None:
        return None
    visit = newest.determination.sample.visit
    # In two steps and without a limit, so that the index by determination serves it: a visit has a few dozen at most.
    made = list(Determination.objects.for_team(place.team_id).filter(sample__visit=visit).values_list("pk", flat=True))
    return visit, list(log_of(place.team_id).standing().filter(determination__in=made))


def follow_ups(team: Team) -> list[Result]:
    """Return what waits for a repeat or a follow-up: results of 60 days that nothing at the place came after."""
    since = timezone.now() - _FOLLOW_UP
    later = Result.across_teams.filter(
        place=OuterRef("place"), parameter=OuterRef("parameter"), taken_at__gt=OuterRef("taken_at"), superseded_at=None
    )
    continued = Determination.across_teams.filter(continues=OuterRef("determination"))
    wanting = Q(verdict__in=["outside", "not settled"]) | Q(flags__overlap=_REPEAT_FLAGS)
    rows = log_of(team).standing().filter(wanting, taken_at__gte=since).filter(~Exists(later), ~Exists(continued))
    return list(rows.defer(None).defer("determination__method_definition", "working")[:20])
