"""What everybody may see of a place: released numbers, what they mean, when next. No people, nothing unreleased."""

import re
from collections.abc import Sequence
from datetime import date, datetime, timedelta
from typing import Any, NamedTuple

from django.utils import timezone

from kessa.core.job.meaning import meaning_of
from kessa.core.planning.rhythm import coming
from kessa.core.quantities.units import in_words
from kessa.log.models import Result
from kessa.people.models import Team
from kessa.places.lines import drawn_over, grouped, sentences_over
from kessa.places.models import Place
from kessa.public.models import Page
from kessa.rounds.models import Stop
from kessa.rules.selectors import house_rules
from kessa.visits.models import Review
from kessa.web.components.trend import NARROW, WIDE

_YEARS, _MOST_RESULTS, _MOST_TESTS = timedelta(days=5 * 366), 3000, 8
_COLUMNS = (
    "pk", "taken_at", "parameter", "fraction", "method_class", "value", "low", "high", "censor", "unit", "form",
    "verdict", "judgements",
)  # fmt: skip
# How sure a trend is, in figures: for who is of the job.
_PROOF = re.compile(r" \(p = [^)]*\)|; not chance \(p = [^)]*\)")
# A line is drawn from so many on.
_ENOUGH = 3


class Tested(NamedTuple):
    """One thing that is tested at a place: the last result, in the team's own words, and the line over the years."""

    last: Any
    said: str
    sentences: list[str]
    meaning: tuple[str, ...]
    lines: list[Any]
    number: int
    since: datetime


class Shown(NamedTuple):
    """What everybody may see of a place."""

    place: Place
    water: str
    tested: list[Tested]
    next_on: date | None

    @property
    def gravest(self) -> Tested | None:
        """The last result that is outside, where one is."""
        return next((each for each in self.tested if each.last.verdict == "outside"), None)


def shown_at(place: Place) -> Shown:
    """Return what everybody may see of a place: standing results that were released, and no others."""
    rows = Result.objects.for_team(place.team_id).standing().filter(place=place, visit__review=Review.RELEASED)
    rows = rows.filter(taken_at__gte=timezone.now() - _YEARS).newest_first()
    found = [row for row in rows.values_list(*_COLUMNS, named=True)[:_MOST_RESULTS] if not in_words(row.unit)]
    series = grouped(found, "parameter", "fraction", "unit", "form", "method_class")
    # Of two ways to test one thing the one with the longer line is shown.
    longest: dict[tuple[str, str], list[Any]] = {}
    for (parameter, fraction, *_), alike in series.items():
        longest[parameter, fraction] = max(longest.get((parameter, fraction), []), alike, key=len)
    chosen = sorted(longest.values(), key=lambda alike: (alike[0].verdict != "outside", -len(alike)))[:_MOST_TESTS]
    return Shown(place, place.water, [_tested(place, newest) for newest in chosen], _next_on(place))


def _tested(place: Place, newest: Sequence[Any]) -> Tested:
    last, enough = newest[0], len(newest) >= _ENOUGH
    told = sentences_over(newest, timezone.localdate(last.taken_at)) if enough else []
    words = f"{last.parameter} since {newest[-1].taken_at:%Y}, {len(newest)} results"
    return Tested(
        last,
        house_rules(place.team_id).said_to_the_public(last.verdict) if last.verdict else "",
        [_PROOF.sub("", each) for each in told],
        meaning_of(last.parameter, place.water),
        [drawn_over(place, newest, width).svg(words) for width in (WIDE, NARROW)] if enough else [],
        len(newest),
        newest[-1].taken_at,
    )


def _next_on(place: Place) -> date | None:
    """Return the next day on which a round falls due there."""
    stops = Stop.objects.for_team(place.team_id).filter(place=place, round__retired_at=None).select_related("round")
    yesterday = timezone.localdate() - timedelta(days=1)
    days = [day for stop in stops if stop.round.rhythm for day in coming(stop.round.rhythm, yesterday, 1)]
    return min(days, default=None)


def page_of(slug: str) -> Page | None:
    """Return the open page of an address: the address alone says whose it is."""
    return Page.across_teams.filter(slug=slug, closed_at=None).select_related("place__team", "team").first()


def open_pages(team: Team | int) -> Any:
    """Return the places a team has opened, by name."""
    rows = Page.objects.for_team(team).filter(closed_at=None, place__isnull=False)
    return rows.select_related("place", "team").order_by("place__name")
