"""The rows of the log as they are listed: read as plain values and written in one go, since there are many."""

from collections.abc import Iterable
from html import escape
from typing import Any, NamedTuple

from django.urls import reverse
from django.utils import timezone
from django.utils.safestring import SafeString, mark_safe

from kessa.core.advising.advice import Advice
from kessa.core.advising.wording import plain_answer, sentences
from kessa.core.runs.flags import ENDS, words
from kessa.pages.base.tags import form_in, gauge, interval_in, measured_in, stands, when
from kessa.record.advice.advising import advised, named_at, where_of
from kessa.record.people.display import display_for
from kessa.record.people.models import User
from kessa.record.people.selectors import names_of
from kessa.record.places.models import Place
from kessa.record.places.selectors import names_of_places
from kessa.record.results.history import Lately, held_at
from kessa.record.results.selectors import Row, latest, numbered, rows_with_flags
from kessa.record.visits.models import NOT_KNOWN


class Names(NamedTuple):
    """The names of places and people, by their numbers."""

    places: dict[int, str]
    people: dict[int, str]


def table_rows(team: int, found: Iterable[Any], reader: User, names: Names | None = None) -> SafeString:
    """Write listed results as rows of the log, in the reader's own units; `names` are those that are known already."""
    return _table(team, rows_with_flags(team, list(found)), reader, names or Names({}, {}))


def _table(team: int, rows: list[Row], reader: User, names: Names) -> SafeString:
    known = _known(team, rows, names)
    at = [reverse(name, args=[0]).removesuffix("0/") for name in ("results:result", "places:place")]
    return mark_safe("".join(_written(row, known, reader, *at) for row in rows))  # noqa: S308 # it is escaped below


def latest_rows(team: int, reader: User) -> SafeString:
    """Write a team's latest results as rows of the log."""
    return table_rows(team, latest(team=team), reader)


class AtPlace(NamedTuple):
    """How a place stands: the newest of each test, most urgent first; in plain words; what to do; the latest visit."""

    state: list[Row]
    plain: list[str]
    steps: list[str]
    advice: Advice
    visit_rows: SafeString

    @property
    def pressing(self) -> Any:
        """The result that presses most: what the first thing to do is about."""
        first = next((key for each in self.advice.do for key in each.keys), None)
        return next((row.result for row in self.state if row.result.id == first), self.state[0].result)


def found_at_place(place: Place, lately: Lately, reader: User, people: dict[int, str]) -> AtPlace:
    """Write what was found out at a place; `people` were on its latest visit."""
    current, on_visit = lately.newest, lately.on_visit
    held = [pk for pk in held_at(place) if pk not in current]
    rows = rows_with_flags(place.team_id, numbered(team=place.team_id, results=list({*current, *on_visit, *held})))
    by_number = {row.result.id: row._replace(held=row.result.id in held) for row in rows}
    advice, where = advised(place, [by_number[pk] for pk in (*current, *held)]), where_of(place)
    # What no advice follows from, as something newer says it by another test, comes last.
    urgent = [each.reading.key for each in advice.assessments]
    state = [by_number[pk] for pk in [*urgent, *(pk for pk in current if pk not in urgent)]]
    of_visit = [row for row in rows if row.result.id in on_visit]
    table = _table(place.team_id, of_visit, reader, Names({place.pk: place.name}, people))
    steps = sentences(advice.do, where, named_at(place), flags=dict.fromkeys(f for row in state for f in row.flags))
    return AtPlace(state, plain_answer(advice, where), steps, advice, table)


def number_rows(results: list[Any], reader: User) -> SafeString:
    """Write the numbers of one series as rows: when, what, in which interval the truth lies, the verdict."""
    if not results:
        return mark_safe("")
    shown = display_for(results[0].unit, results[0].form, results[0].parameter, reader)
    result_at = reverse("results:result", args=[0]).removesuffix("0/")
    written = []
    for result in results:
        written.append(
            f'<tr><td class="r"><a href="{result_at}{result.pk}/">{when(result, "j M Y, H:i")}</a></td>'
            f"<td>{measured_in(shown, result)}</td><td>{interval_in(shown, result)}</td>"
            f"<td>{escape(result.verdict)}</td></tr>"
        )
    return mark_safe("".join(written))  # noqa: S308 # it is escaped above


def _known(team: int, rows: list[Row], names: Names) -> Names:
    """Return the names with those that lack: who left the team keeps the name under what they read."""
    places = {row.result.place_id for row in rows} - names.places.keys()
    people = {row.result.person_id for row in rows if row.result.person_id} - names.people.keys()
    if places:
        names = names._replace(places=names.places | dict(names_of_places(team=team, places=list(places))))
    return names._replace(people=names.people | names_of(people))


def _written(row: Row, names: Names, reader: User, result_at: str, place_at: str) -> str:
    result, flags = row.result, row.flags
    at = timezone.localtime(result.taken_at)
    shown = display_for(result.unit, result.form, result.parameter, reader)
    who = " and ".join(result.people or [names.people.get(result.person_id, NOT_KNOWN)])
    fraction = f", {escape(result.fraction)}" if result.fraction else ""
    pills = "".join(f'<span class="pill flag">{escape(words(flag))}</span> ' for flag in flags)
    if result.late:
        pills += '<span class="pill flag">taps after closing</span>'
    ended = ' class="superseded"' if any(flag in ENDS for flag in flags) else ""
    return (
        f'<tr role="row"{ended}><td role="cell" class="r when">'
        f'<a href="{result_at}{result.id}/">{at.day} {at:%b %Y}</a><br>'
        f'<span class="soft">{when(result, "H:i")}, {escape(who)}</span></td>'
        f'<td role="cell" class="where"><a href="{place_at}{result.place_id}/">'
        f"{escape(names.places[result.place_id])}</a></td>"
        f'<td role="cell" class="of">{escape(result.parameter)}{fraction}</td>'
        f'<td role="cell" class="r raw">{escape(result.words or "cannot be read")}</td>'
        f'<td role="cell" class="r value">{measured_in(shown, result, "num big")} '
        f'<span class="soft">{escape(form_in(shown))}</span><br>'
        f'<span class="soft">{interval_in(shown, result)}</span></td>'
        f'<td role="cell" class="scale">{gauge(result)}</td>'
        f'<td role="cell" class="r said">{stands(result)}</td><td role="cell" class="flags">{pills}</td></tr>'
    )
