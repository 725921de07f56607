"""The rows of the log as they are listed: read as plain values and written in one go, since there are many."""

from collections import defaultdict
from collections.abc import Iterable
from typing import Any, NamedTuple

from django.db.models import F
from django.db.models.fields.json import KT
from django.urls import reverse
from django.utils import timezone
from django.utils.html import escape
from django.utils.safestring import SafeString, mark_safe

from kessa.bench.models import Determination
from kessa.core.runs.flags import ENDS, words
from kessa.log.models import Mark
from kessa.people.display import shown_as
from kessa.people.models import Team, User
from kessa.people.selectors import names_of
from kessa.places.models import Place
from kessa.web.templatetags.components import form_in, gauge, interval_in, measured_in, plain, verdict

_COLUMNS = (
    "id", "taken_at", "place_id", "parameter", "fraction", "value", "low", "high", "censor", "unit", "form", "verdict",
    "judgements", "usual", "person_id", "determination_id",
)  # fmt: skip


class Names(NamedTuple):
    """The names of places and people, by their numbers."""

    places: dict[int, str]
    people: dict[int, str]


class Row(NamedTuple):
    """A result as it is listed, the flags of its marks, and whether taps came after its test was closed."""

    result: Any
    flags: list[str]
    late: bool


def listed(results: Any) -> Any:
    """Return the plain values of results that a list prints."""
    said = results.annotate(words=KT("readings__words"), people=F("readings__people"))
    return said.values_list(*_COLUMNS, "words", "people", named=True)


def table_rows(team: Team | int, found: Iterable[Any], reader: User, names: Names | None = None) -> SafeString:
    """Write listed results as rows of the log, in the reader's own units; `names` are those that are known already."""
    rows = _with_flags(team, list(found))
    known = _known(team, rows, names or Names({}, {}))
    at = [reverse(name, args=[0]).removesuffix("0/") for name in ("log:result", "places:place")]
    return mark_safe("".join(_written(row, known, reader, *at) for row in rows))  # noqa: S308 # it is escaped below


def number_rows(results: Iterable[Any], reader: User) -> SafeString:
    """Write the numbers of a chart as rows: when, what, in which interval the truth lies, the verdict."""
    result_at = reverse("log:result", args=[0]).removesuffix("0/")
    written = []
    for result in results:
        at = timezone.localtime(result.taken_at)
        shown = shown_as(result.unit, result.form, result.parameter, reader)
        written.append(
            f'<tr><td class="r"><a href="{result_at}{result.pk}/">{at.day} {at:%b %Y, %H:%M}</a></td>'
            f'<td class="num">{escape(result.censor)}{plain(result.value)}</td><td>{interval_in(shown, result)}</td>'
            f"<td>{escape(result.verdict)}</td></tr>"
        )
    return mark_safe("".join(written))  # noqa: S308 # it is escaped above


def _with_flags(team: Team | int, rows: list[Any]) -> list[Row]:
    """Return results with the flags of their marks, in the order in which they came."""
    tests = {row.determination_id for row in rows}
    late = Determination.objects.for_team(team).filter(pk__in=tests, late_taps__gt=0).values_list("pk", flat=True)
    marks = Mark.objects.for_team(team).filter(result__in=[row.id for row in rows], lifted_at=None).order_by("pk")
    late_tests, flags = set(late), defaultdict(dict)
    for pk, flag in marks.values_list("result_id", "flag"):
        flags[pk][flag] = True
    return [Row(row, list(flags[row.id]), row.determination_id in late_tests) for row in rows]


def _known(team: Team | int, rows: list[Row], names: Names) -> Names:
    """Return the names with those that lack: who left the team keeps the name under what they read."""
    places = {row.result.place_id for row in rows} - names.places.keys()
    people = {row.result.person_id for row in rows} - names.people.keys()
    if places:
        found = Place.objects.for_team(team).filter(pk__in=places)
        names = names._replace(places=names.places | dict(found.values_list("pk", "name")))
    return names._replace(people=names.people | names_of(people))


def _written(row: Row, names: Names, reader: User, result_at: str, place_at: str) -> str:
    result, flags, late = row
    at = timezone.localtime(result.taken_at)
    shown = shown_as(result.unit, result.form, result.parameter, reader)
    who = " and ".join(result.people or [names.people[result.person_id]])
    fraction = f", {escape(result.fraction)}" if result.fraction else ""
    pills = "".join(f'<span class="pill flag">{escape(words(flag))}</span> ' for flag in flags)
    if late:
        pills += '<span class="pill flag">taps after closing</span>'
    ended = ' class="superseded"' if any(flag in ENDS for flag in flags) else ""
    return (
        f'<tr{ended}><td class="r"><a href="{result_at}{result.id}/">{at.day} {at:%b %Y}</a><br>'
        f'<span class="soft">{at:%H:%M}, {escape(who)}</span></td>'
        f'<td><a href="{place_at}{result.place_id}/">{escape(names.places[result.place_id])}</a></td>'
        f'<td>{escape(result.parameter)}{fraction}</td><td class="r">{escape(result.words or "cannot be read")}</td>'
        f'<td class="r">{measured_in(shown, result, "num big")} <span class="soft">{escape(form_in(shown))}</span><br>'
        f'<span class="soft">{interval_in(shown, result)}</span></td><td>{gauge(result)}</td>'
        f'<td class="r">{verdict(result.verdict)}</td><td>{pills}</td></tr>'
    )
