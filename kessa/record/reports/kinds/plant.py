"""A report of a system over some time: how its tests stood, what was done, what went in."""

from collections import Counter
from collections.abc import Sequence
from datetime import date, timedelta
from typing import Any, NamedTuple

from django import forms
from django.utils import timezone

from kessa.core.treating.amounts import is_rate
from kessa.record.actions.models import Action, State
from kessa.record.people.models import Team
from kessa.record.places.lines import grouped
from kessa.record.places.models import Place
from kessa.record.places.selectors import places
from kessa.record.reports.forms import PlaceReportForm
from kessa.record.reports.kind import Content, ReportKind, add
from kessa.record.reports.selectors import counting, moments
from kessa.record.results.models import Result
from kessa.record.rounds.selectors import missed_between


class PlantForm(PlaceReportForm):
    """A system over some time."""

    since = forms.DateField(label="From", widget=forms.DateInput(attrs={"type": "date", "class": "input"}))
    until = forms.DateField(label="To", widget=forms.DateInput(attrs={"type": "date", "class": "input"}))

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        today = timezone.localdate()
        self.fields["since"].initial, self.fields["until"].initial = (
            (today - timedelta(days=90)).isoformat(),
            today.isoformat(),
        )

    def fits(self, place: Place) -> bool:
        """Systems only."""
        return place.kind.is_plant

    def clean(self) -> dict[str, Any]:
        """Refuse a time that ends before it begins, or is longer than years."""
        data = super().clean() or {}
        since, until = data.get("since"), data.get("until")
        if since and until and not since <= until <= since + timedelta(days=1100):
            self.add_error("until", "From the earlier day to the later one, three years at most.")
        return data


class Band(NamedTuple):
    """The last result of a series, and how those of the time stood."""

    last: Result
    number: int
    verdicts: Counter[str]


class Used(NamedTuple):
    """A product with how much of it went in."""

    name: str
    amount: float
    kept: str
    times: int


def _content(team: Team, about: dict[str, Any]) -> Content:
    place = places(team).get(pk=about["place"])
    first, last = date.fromisoformat(about["since"]), date.fromisoformat(about["until"])
    if last < first or not place.kind.is_plant:
        raise ValueError(about)
    since, until = moments(first, last)
    results = list(counting(place, since, until))
    bands = grouped(results, "parameter", "fraction", "method_class")
    acted = Action.objects.for_team(team).filter(place=place, ended_at__range=(since, until))
    acted = acted.filter(state__in=[State.DONE, State.DECLINED]).order_by("ended_at")
    done = list(acted.select_related("done_product", "ended_by", "followed_by"))
    context = {
        "place": place,
        "first": first,
        "last": last,
        "bands": [Band(each[-1], len(each), Counter(one.verdict for one in each)) for _, each in sorted(bands.items())],
        "done": done,
        "open": Action.objects.for_team(team).open().filter(place=place).gravest_first(),
        "used": _used(done),
        "missed": missed_between(place, first, last),
    }
    return Content(f"{place}, {_span(first, last)}", place, results, context)


def _used(done: Sequence[Action]) -> list[Used]:
    amounts: dict[tuple[str, str], list[float]] = {}
    for each in done:
        # What is fed all the time is known by the hour only.
        if each.state == State.DONE and each.done_product and each.done_amount and not is_rate(each.kept):
            amounts.setdefault((str(each.done_product), each.done_product.kept), []).append(each.done_amount)
    return [Used(name, sum(each), kept, len(each)) for (name, kept), each in sorted(amounts.items())]


def _span(first: date, last: date) -> str:
    return f"{first.day} {first:%B %Y} to {last.day} {last:%B %Y}"


add(ReportKind("plant", "report of a system", PlantForm, _content))
