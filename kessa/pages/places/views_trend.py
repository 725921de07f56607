"""A place's results over time: one or two series, with limits as they held, what is usual, and what happened."""

from collections import Counter
from datetime import date, datetime, time, timedelta
from typing import Any, NamedTuple

from django.http import HttpResponse
from django.shortcuts import render
from django.utils import timezone
from django.utils.dateparse import parse_date
from django.utils.text import slugify
from django.views.decorators.http import require_GET

from kessa.core.job.occasions import occasion_kinds
from kessa.core.judging.trend import MOST_POINTS
from kessa.core.quantities.units import in_words
from kessa.drawings.trend import NARROW, Event, thinned, trend
from kessa.drawings.years import draw_distribution, draw_years, years_of
from kessa.pages.base.only import only_or_404
from kessa.pages.base.result_rows import number_rows
from kessa.record.actions.selectors import done_between
from kessa.record.actions.wording import done_in
from kessa.record.people.access import TeamRequest, member
from kessa.record.people.models import User
from kessa.record.places.lines import dated, judged_alike, limits_over, sentences_over, usual_over
from kessa.record.places.models import Place
from kessa.record.places.selectors import place_at, reference_of
from kessa.record.results.history import Series, found_lately, waits_for_review
from kessa.record.results.selectors import Stretch, limits_of, series_over
from kessa.record.rounds.models import Occasion
from kessa.record.visits.models import SETTLED

# As wide as the page has room for, so that letters are no larger than elsewhere.
_WIDEST = 1160
_SPANS = (("1", "A year"), ("2", "2 years"), ("5", "5 years"), ("", "All"))
_MOST_SERIES, _MOST_EVENTS = 3, 20
# More numbers than a reader goes through: the log has them all.
_MOST_LISTED = 100


class Span(NamedTuple):
    """From when to when results are looked at; None is without end."""

    since: datetime | None
    until: datetime | None


class Drawn(NamedTuple):
    """One series as the page shows it."""

    series: Series
    sentences: list[str]
    wide: Any
    narrow: Any
    years: list[Any]
    spread: list[Any]
    rows: Any
    listed: int
    number: int
    events: list[tuple[str, Event]]


@member
@require_GET
def trends(request: TeamRequest, pk: int) -> HttpResponse:
    """One series, or several under one another over the same stretch of time."""
    place = only_or_404(place_at(team=request.membership.team_id, pk=pk))
    known = {slugify("-".join(filter(None, series))): series for series in found_lately(place).series}
    known = {key: series for key, series in known.items() if not in_words(series.unit)}
    chosen = [key for key in dict.fromkeys(request.GET.getlist("test")) if key in known][:_MOST_SERIES]
    chosen = chosen or list(known)[:1]
    span = _span(request)
    reference = reference_of(place)
    drawn = [_drawn(place, reference, known[key], span, request.user) for key in chosen]
    context = {
        "place": place,
        "known": known,
        "chosen": chosen,
        "drawn": [each for each in drawn if each],
        "reference": reference,
        "spans": _SPANS,
        "years": request.GET.get("years", "2"),
        "since": request.GET.get("since", ""),
        "until": request.GET.get("until", ""),
    }
    return render(request, "places/trend.html", context)


def _span(request: TeamRequest) -> Span:
    since, until = (_day(request.GET.get(name, "")) for name in ("since", "until"))
    if not since and not until:
        years = request.GET.get("years", "2")
        days = int(years) * 365 if years in ("1", "2", "5") else None
        return Span(timezone.now() - timedelta(days=days) if days else None, None)
    return Span(_moment(since, time.min), _moment(until, time.max))


def _day(text: str) -> date | None:
    try:
        return parse_date(text)
    except ValueError:
        return None


def _moment(day: date | None, at: time) -> datetime | None:
    return timezone.make_aware(datetime.combine(day, at)) if day else None


def _drawn(place: Place, reference: Place | None, series: Series, asked: Span, reader: User) -> Drawn | None:
    stretch = Stretch(place, asked.since, asked.until, series._asdict())
    results, is_cut = series_over(stretch)
    if not results:
        return None
    first, last = results[-1].taken_at, results[0].taken_at
    waits = waits_for_review(place.team_id)
    stated = Counter(each.visit__review for each in results)
    results = [each for each in results if not waits or each.visit__review in SETTLED]
    if not results:
        return None
    compared = series_over(stretch._replace(place=reference, since=first, until=last))[0] if reference else []
    days = dated(results)
    judged = judged_alike(results, limits_of(place.team_id, results))
    limits = limits_over(place, series.parameter, series.unit, series.form, judged)
    events = _events(place, first, last, reader)
    sentences = [*sentences_over(results, days, timezone.localdate()), rests_on(stated, waits)]
    if is_cut:
        sentences.append(f"These are the newest {MOST_POINTS:,}: what is older is in the log.")
    usual, span = usual_over(days, first, last), (first, last)
    charts = [
        trend(thinned(results, width), thinned(compared, width), limits, usual, events=events, width=width, span=span)
        for width in (_WIDEST, NARROW)
    ]
    words = f"{series.parameter} over time. {' '.join(sentences)} The numbers are in the table below"
    years, values = years_of(days), [value for _, value in days]
    bounds = [line.value for line in limits if line.until is None]
    return Drawn(
        series,
        sentences,
        charts[0].svg(words),
        charts[1].svg(words),
        [draw_years(years, width) for width in (_WIDEST, NARROW)] if len(years) > 1 else [],
        [draw_distribution(values, width, bounds) for width in (_WIDEST, NARROW)] if len(values) >= _ENOUGH else [],
        number_rows(results[:_MOST_LISTED], reader),
        min(len(results), _MOST_LISTED),
        len(results),
        [(letter, event) for _, letter, event in charts[0].events],
    )


_ENOUGH = 8


def rests_on(stated: Counter[str], waits: bool) -> str:
    """Say on numbers in which state of review a line rests; `waits` where what is not reviewed is left out."""
    reviewed = sum(stated[state] for state in SETTLED)
    others = stated.total() - reviewed
    if not others:
        return f"All {reviewed} are reviewed."
    if waits:
        return f"It rests on the {reviewed} that are reviewed; {others} more wait for their review."
    return f"Of {stated.total()} results {reviewed} are reviewed."


def _events(place: Place, first: datetime, last: datetime, reader: User) -> list[Event]:
    days = (timezone.localdate(first), timezone.localdate(last))
    rows = Occasion.objects.for_team(place.team_id).filter(happened_on__range=days)
    found = rows.filter(place=place) | rows.filter(place=None)
    kinds = occasion_kinds()
    happened = [
        Event(
            timezone.make_aware(datetime.combine(each.happened_on, time(12))),
            f"{kinds[each.kind].name if each.kind in kinds else each.kind}{': ' + each.remark if each.remark else ''}",
        )
        for each in found.order_by("happened_on")[:_MOST_EVENTS]
    ]
    done = done_events(place, first, last, reader)
    return sorted((*happened, *done), key=lambda event: event.at)


def done_events(place: Place, first: datetime, last: datetime, reader: User) -> list[Event]:
    """Return what was done at a place over a stretch of time, as it is marked on a line, in the reader's measures."""
    done = done_between(place, first, last, _MOST_EVENTS)
    return [Event(each.ended_at, done_in(each, reader.amount_system)) for each in done if each.ended_at]
