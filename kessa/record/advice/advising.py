"""What people are told to do at a place: all that is newest there, as the core decides on it."""

from collections.abc import Iterable, Sequence
from typing import Any, NamedTuple

from kessa.core.advising.advice import Advice, Assessment, Reading, Where, advise, assess
from kessa.core.advising.wording import Named, plain_answer, sentences
from kessa.core.methods.exactness import IN_PLACE
from kessa.core.quantities.parameters import parameter
from kessa.core.quantities.quantity import Quantity
from kessa.core.runs.flags import doubtful
from kessa.record.compiled import compiled
from kessa.record.people.selectors import contacts_for, is_alone
from kessa.record.places.models import Place
from kessa.record.places.selectors import reference_of
from kessa.record.results.history import found_lately, held_at
from kessa.record.results.models import Result, quantity_of
from kessa.record.results.selectors import Row, rows_with_flags
from kessa.record.visits.models import Visit

# What advice takes of a result.
COLUMNS = (
    "id", "parameter", "fraction", "value", "low", "high", "censor", "unit", "form", "judgements", "not_judged",
)  # fmt: skip


def where_of(place: Place) -> Where:
    """Return what advice wants to know of a place."""
    return Where(place.kind_key, frozenset(place.feeds), place.elevation_m)


def named_at(place: Place, rank: int = 0) -> Named:
    """Return whom a place's team tells of something so urgent, and the place to compare with."""
    kept: dict[int, Named] = place.__dict__.setdefault("kept_named", {})
    if rank not in kept:
        reference = reference_of(place)
        contacts, alone = contacts_for(place.team_id, place.water, rank), is_alone(place.team_id)
        kept[rank] = Named(contacts, reference.name if reference else "", alone)
    return kept[rank]


class Stands(NamedTuple):
    """A result as it stands, whatever else was found."""

    row: Row
    assessment: Assessment


def standing(place: Place, rows: Iterable[Row]) -> list[Stands]:
    """Return how each of some results of a place stands."""
    where = where_of(place)
    return [Stands(row, assess(where, reading_of(row))) for row in rows]


def newest_at(place: Place) -> list[Row]:
    """Return the newest standing results at a place, newest first, and those that are held, as advice takes them."""
    rows = _numbered(place, found_lately(place).newest)
    return [*rows, *still_held(place, rows)]


def still_held(place: Place, rows: Iterable[Row]) -> list[Row]:
    """Return what is held at a place and is not among some rows (see history.held_at)."""
    shown = {row.result.id for row in rows}
    held = [pk for pk in held_at(place) if pk not in shown]
    return [row._replace(held=True) for row in _numbered(place, held)]


def _numbered(place: Place, numbers: list[int]) -> list[Row]:
    return rows_with_flags(place.team_id, _rows(team=place.team_id, results=numbers)) if numbers else []


@compiled
def _rows(team: int, results: list[int]) -> Any:
    return Result.objects.for_team(team).filter(pk__any=results).newest_first().values_list(*COLUMNS, named=True)


def advised(place: Place, rows: Iterable[Row]) -> Advice:
    """Decide what is to be done about results of a place, the newest first: of each parameter the newest counts.

    So does what is held beside it.
    """
    return _advised(place, standing(place, rows))


def _advised(place: Place, found: Iterable[Stands], instead: Reading | None = None) -> Advice:
    """Decide as `advised` does; a reading `instead` stands in place of the newest of its parameter."""
    newest: dict[Any, Assessment] = {}
    for row, assessment in found:
        if row.held and (instead is None or instead.key != row.result.id):
            newest[row.result.id] = assessment
        elif not row.held and (instead is None or assessment.key != parameter(instead.parameter).key):
            # Dissolved and total are two; a sum as a ratio is another number than one in mg/L.
            newest.setdefault((assessment.key, row.result.fraction, row.result.unit == "ratio"), assessment)
    return advise(where_of(place), [*([instead] if instead else []), *newest.values()])


def in_plain_words(place: Place, results: Iterable[Result]) -> dict[str, Any]:
    """Return how the water of some results stands, in words for everybody, as log/plain.html shows it."""
    newest = sorted(results, key=lambda each: (each.taken_at, each.pk), reverse=True)
    return _plain(place, [Row(each, each.flags) for each in newest])


def visit_in_plain_words(visit: Visit) -> dict[str, Any]:
    """Return how the water of a visit stands by what was found out on it, as in_plain_words does."""
    rows = list(_of_visit(team=visit.team_id, visit=visit.pk))
    return _plain(visit.place, rows_with_flags(visit.team_id, rows)) if rows else {}


@compiled
def _of_visit(team: int, visit: Any) -> Any:
    rows = Result.objects.for_team(team).current().filter(visit=visit)
    # What was only read in place, against no limit, is no test of the water.
    return rows.exclude(family=IN_PLACE, verdict="").newest_first().values_list(*COLUMNS, named=True)


def _plain(place: Place, rows: list[Row]) -> dict[str, Any]:
    # What was asked before these were written, and is not lifted, goes on.
    since = max(row.result.id for row in rows)
    advice = advised(place, [*rows, *(row for row in still_held(place, rows) if row.result.id < since)])
    return {"plain": plain_answer(advice, where_of(place)), "stands": advice.verdict}


def steps_about(
    place: Place, newest: Iterable[Stands], found: Reading, of_the_test: Iterable[str], flags: Iterable[str]
) -> list[str]:
    """Say what is to be done about a reading of `flags`, with all else that is `newest` at its place."""
    do, about = _advised(place, newest, found).do, parameter(found.parameter).key
    return sentences(do, where_of(place), named_at(place), about=about, of_the_test=of_the_test, flags=flags)


def reading_of(row: Row) -> Reading:
    """Return a result as advice takes it."""
    found = row.result
    read = reading(found.parameter, quantity_of(found), found.judgements, row.flags, found.not_judged, found.id)
    return read._replace(held=row.held)


def reading(
    name: str,
    quantity: Quantity,
    judgements: Sequence[dict[str, Any]],
    flags: Iterable[str],
    not_judged: Iterable[tuple[str, str]],
    key: Any = None,
) -> Reading:
    """Return what was found of a parameter as advice takes it: of its flags the doubts, of its limits what lacks."""
    lacking = [why for _, why in not_judged if why.startswith("it needs")]
    return Reading(name, quantity, judgements, doubtful(flags), lacking, key)
