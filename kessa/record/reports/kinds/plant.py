"""A report of a system over some time: how its tests stood, what was done, what went in."""

from collections import Counter
from collections.abc import Sequence
from datetime import date, timedelta
from typing import Any, NamedTuple

from django import forms
from django.utils import timezone

from kessa.core.job.place_kinds import PlaceKind
from kessa.core.treating.amounts import is_rate
from kessa.record.actions.models import Action, State
from kessa.record.people.models import Team
from kessa.record.places.lines import grouped
from kessa.record.places.selectors import places
from kessa.record.reports.contents import counting, moments, reviewed_as
from kessa.record.reports.forms import PlaceReportForm
from kessa.record.reports.kind import Content, ReportKind, add
from kessa.record.results.selectors import limits_of, numbered
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

    def fits(self, kind: PlaceKind) -> bool:
        """Systems only."""
        return kind.is_plant

    def clean(self) -> dict[str, Any]:
        """Refuse a time that ends before it begins, or is longer than years."""
        data = super().clean() or {}
        since, until = data.get("since"), data.get("until")
        if since and until and not since <= until <= since + timedelta(days=1100):
            self.add_error("until", "From the earlier day to the later one, three years at most.")
        return data


class Band(NamedTuple):
    """The last result of a series, and how those of the time stood."""

    last: Any
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
    found = counting(place, since, until)
    bands = grouped(found, "parameter", "fraction", "method_class")
    lasts = {each.id: each for each in numbered(team=team.pk, results=[alike[-1].pk for alike in bands.values()])}
    acted = Action.objects.for_team(team).filter(place=place, ended_at__range=(since, until))
    acted = acted.filter(state__in=[State.DONE, State.DECLINED]).order_by("ended_at")
    done = list(acted.select_related("done_product", "ended_by", "followed_by"))
    context = {
        "place": place,
        "first": first,
        "last": last,
        "bands": [_band(lasts[alike[-1].pk], alike) for _, alike in sorted(bands.items())],
        "done": done,
        "open": Action.objects.for_team(team).open().filter(place=place).gravest_first(),
        "used": _used(done),
        "missed": missed_between(place, first, last),
    }
    judged = limits_of(team.pk, found).values()
    return Content(f"{place}, {_span(first, last)}", place, reviewed_as(found), judged, context)


def _band(last: Any, alike: Sequence[Any]) -> Band:
    return Band(last, len(alike), Counter(each.verdict for each in alike))


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
