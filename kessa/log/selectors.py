"""Reads of the log worth a name."""

from datetime import timedelta
from typing import Any, NamedTuple

from django.core import signing
from django.db.models import Exists, OuterRef, Prefetch, Q, QuerySet, Subquery
from django.utils import timezone
from django.utils.dateparse import parse_datetime

from kessa.bench.models import Determination
from kessa.core.judging.advice import with_flags
from kessa.core.quantities.quantity import Quantity
from kessa.core.runs.conclusion import Blank, conclude
from kessa.core.runs.flags import ASKS_REPEAT, ENDS
from kessa.log.models import Mark, QualityCheck, Result
from kessa.people.models import Team
from kessa.places.models import Place
from kessa.visits.models import Visit

PAGE = 30
_CHART = 84
_FOLLOW_UP = timedelta(days=60)


class Page(NamedTuple):
    """One page of the log, and the key of the next."""

    results: list[Result]
    next_key: str | None


def active_marks() -> Any:
    """Return how the marks that stand come with many results at once."""
    return Prefetch("marks", Mark.active().select_related("by"))


def log_of(team: Team | int) -> Any:
    """Return a team's results with what a row of the log shows."""
    return (
        Result.objects.for_team(team)
        .select_related("place", "person", "determination__sample")
        .prefetch_related(active_marks())
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
    shown = rows.prefetch_related(active_marks()).defer("readings", "working", "judgements", "usual", "next_steps")
    newest = list(shown.newest_first()[:most])
    floors = [result.determination_id for result in newest if result.censor == ">"]
    repeated = Determination.objects.for_team(place.team_id).filter(continues__in=floors)
    left_out = set(repeated.values_list("continues_id", flat=True))
    return [result for result in newest if result.determination_id not in left_out]


def with_latest_result(places: Any) -> list[Place]:
    """Return places, each with its newest standing result as `latest` (None where there is none)."""
    newest = Result.across_teams.filter(place=OuterRef("pk")).filter(~Mark.on_result(ENDS)).order_by("-taken_at", "-id")
    found = list(places.annotate(latest_pk=Subquery(newest.values("pk")[:1])))
    latest = Result.across_teams.prefetch_related(active_marks())
    results = latest.in_bulk([place.latest_pk for place in found if place.latest_pk])
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
        ~Mark.on_result(ENDS),
        place=OuterRef("place"),
        parameter=OuterRef("parameter"),
        taken_at__gt=OuterRef("taken_at"),
    )
    continued = Determination.across_teams.filter(continues=OuterRef("determination"))
    wanting = Q(verdict__in=["outside", "not settled"]) | Q(Mark.on_result(ASKS_REPEAT))
    rows = log_of(team).standing().filter(wanting, taken_at__gte=since).filter(~Exists(later), ~Exists(continued))
    return list(rows.defer(None).defer("determination__method_definition", "working")[:20])


def checks_bearing_on(result: Result) -> list[QualityCheck]:
    """Return the checks of a result's method of its day, and those that mark it, the latest first."""
    at = timezone.localtime(result.tested_at)
    begins = at.replace(hour=0, minute=0, second=0, microsecond=0)
    rows = QualityCheck.objects.for_team(result.team_id).filter(family=result.family)
    of_day = Q(at__gte=begins, at__lt=begins + timedelta(days=1))
    marking = [mark.quality_check_id for mark in result.active_marks if mark.quality_check_id]
    return list(rows.filter(of_day | Q(pk__in=marking)).select_related("determination", "person", "withdrawn_by"))


def steps_of(result: Result) -> tuple[str, ...]:
    """Return what to do after a result: what its marks ask for, later ones too, then what follows from its number."""
    return with_flags(result.next_steps, result.flags)


def in_own_form(result: Result) -> Quantity:
    """Compute a result again from its readings, in the form of the method's own; what was computed has its own."""
    assert result.determination is not None
    method = result.determination.method
    if result.part in {computed.key for computed in method.computes}:
        return result.quantity
    kept = result.readings["blank"]
    blank = Blank(**kept) if kept else None
    quantity = conclude(method, method.part(result.part), result.runs, blank, result.readings["dilution"]).quantity
    assert quantity is not None
    return quantity
