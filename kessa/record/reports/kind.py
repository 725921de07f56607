"""What a kind of report is, and which there are: a module each in `kinds`, found by being there."""

from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from typing import Any, NamedTuple, Self

from django.core.exceptions import ValidationError

from kessa.record.people.models import Team
from kessa.record.places.models import Place
from kessa.record.reports.forms import ReportForm
from kessa.record.results.models import Result
from kessa.record.visits.models import Review


class Content(NamedTuple):
    """A report before it has a number: its title, where, what it holds, and what its page needs.

    `results` are its results by number, each with the state of its review; `judged` what they were judged by.
    """

    title: str
    place: Place | None
    results: dict[int, str]
    judged: Iterable[Any]
    context: dict[str, Any]

    @classmethod
    def of_whole(cls, title: str, place: Place, results: Sequence[Result], context: dict[str, Any]) -> Self:
        """Make one of results with all that is printed of them; its page has them as `results`."""
        reviewed = {each.pk: each.visit.review for each in results}
        return cls(title, place, reviewed, [each.judgements for each in results], {"results": results, **context})

    @property
    def stated(self) -> list[tuple[str, int]]:
        """In which states of review its results are, and how many of each."""
        return sorted((Review(state).label, number) for state, number in Counter(self.results.values()).items())

    @property
    def judged_by(self) -> list[str]:
        """The sets by which its results were judged, with their versions."""
        sets = {(each["set_title"], each["set_version"]) for judgements in self.judged for each in judgements}
        return [f"{title}, version {version}" for title, version in sorted(sets)]


class ReportKind(NamedTuple):
    """A kind of report; its page is the template `reports/<key>.html`.

    `form` asks what a report is about; `content` gathers it from the record, the same whenever it is made, and may
    raise KeyError, ValueError or TypeError where what it is about is not there.
    """

    key: str
    title: str
    form: type[ReportForm]
    content: Callable[[Team, dict[str, Any]], Content]

    @property
    def template(self) -> str:
        """The template of its page."""
        return f"reports/{self.key}.html"


KINDS: dict[str, ReportKind] = {}


def add(kind: ReportKind) -> None:
    """Have a kind of report; raises ValueError where there is one of its key."""
    if kind.key in KINDS:
        raise ValueError(f"There are two kinds of report called {kind.key}.")
    KINDS[kind.key] = kind


def gather(team: Team, kind: str, about: dict[str, Any]) -> Content:
    """Return what a report holds; raises ValidationError where what it is about is not there."""
    try:
        return KINDS[kind].content(team, about)
    except (KeyError, ValueError, TypeError) as fault:
        raise ValidationError("There is nothing to report on here.") from fault
