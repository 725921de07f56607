"""Reads of the log worth a name."""

from collections import defaultdict
from collections.abc import Iterable
from datetime import datetime, timedelta
from typing import Any, NamedTuple

from django.core import signing
from django.db.models import Exists, F, OuterRef, Q, QuerySet
from django.db.models.fields.json import KT
from django.utils import timezone
from django.utils.dateparse import parse_datetime

from kessa.core.judging.judge import gravity
from kessa.core.judging.trend import MOST_POINTS
from kessa.core.quantities.quantity import Quantity
from kessa.core.runs.conclusion import Blank, conclude
from kessa.core.runs.flags import ASKS_REPEAT, ENDS
from kessa.record.compiled import compiled, prefetched
from kessa.record.determinations.models import Determination
from kessa.record.people.models import Team
from kessa.record.places.models import Place
from kessa.record.results.models import Mark, Result

PAGE = 30
_CHART = 84
_EARLIER = 5
_OF_TEST = 40
_CHARTED = (
    "pk", "determination_id", "taken_at", "time_known", "parameter", "value", "low", "high", "censor", "unit", "form",
    "verdict", "method_class",
)  # fmt: skip
_MOST_WANTING = 1000
_FOLLOWED = (
    "pk", "place_id", "taken_at", "time_known", "parameter", "value", "low", "high", "censor", "unit", "form",
    "verdict", "test_asks",
)  # fmt: skip
_LISTED = (
    "id", "taken_at", "time_known", "place_id", "parameter", "fraction", "value", "low", "high", "censor", "unit",
    "form", "verdict", "judgements", "not_judged", "usual", "person_id", "method_class",
)  # fmt: skip
_FOLLOW_UP = timedelta(days=60)


class Row(NamedTuple):
    """A result as it is listed, and the flags of its marks."""

    result: Any
    flags: list[str]
    # Whether newer ones do not lift what it asked of those who drink.
    held: bool = False


class Page(NamedTuple):
    """One page of the log, and the key of the next."""

    results: list[Any]
    next_key: str | None


def listed(results: Any, *others: str) -> Any:
    """Return the plain values of results that a list prints, and of `others` what stands in these columns."""
    late = F("determination__late_taps")
    text = results.annotate(words=KT("readings__words"), people=F("readings__people"), late=late)
    return text.values_list(*_LISTED, "words", "people", "late", *others, named=True)


@compiled
def flags_on(team: int, results: list[int]) -> Any:
    """Return the flags of the marks that stand on results, each with the number of its result, in their order."""
    marks = Mark.objects.for_team(team).filter(result__any=results, lifted_at=None)
    return marks.order_by("pk").values_list("result_id", "flag")


def rows_with_flags(team: int, rows: list[Any]) -> list[Row]:
    """Return results with the flags of their marks, in the order in which they came."""
    flags: dict[int, dict[str, bool]] = defaultdict(dict)
    for pk, flag in flags_on(team=team, results=[row.id for row in rows]):
        flags[pk][flag] = True
    return [Row(row, list(flags[row.id])) for row in rows]


def older_than(results: Any, taken_at: datetime | None, pk: int) -> Any:
    """Return those of results that come after one in the order of the log."""
    return results.filter(Q(taken_at__lt=taken_at) | Q(pk__lt=pk), taken_at__lte=taken_at)


def page_after(results: QuerySet[Result], key: str | None) -> Page:
    """Return the results after the key of the page before: the next older ones. A false key gives the first page."""
    if key:
        try:
            taken_at, pk = signing.loads(key, salt="kessa.log.page")
            results = older_than(results, parse_datetime(taken_at), pk)
        except (signing.BadSignature, ValueError):
            pass
    rows = list(results[: PAGE + 1])
    if len(rows) <= PAGE:
        return Page(rows, None)
    last = rows[PAGE - 1]
    return Page(rows[:PAGE], signing.dumps([last.taken_at.isoformat(), last.id], salt="kessa.log.page"))


def has_results(team_id: int, person: int) -> bool:
    """Return whether a person has any result in a team's log."""
    return bool(_of_person(team=team_id, person=person))


@compiled
def _of_person(team: int, person: int) -> Any:
    return Result.objects.for_team(team).filter(person=person).values_list("pk", flat=True)[:1]


def latest_results(place: Place, **of: str) -> list[Any]:
    """Return a place's standing results `of` a parameter or series, as many as a chart shows, newest first.

    They are plain values. A floor that was repeated in a higher range is left out: the repeat says more.
    """
    return _without_repeated(place, _charted(team=place.team_id, place=place.pk, **of))


class Stretch(NamedTuple):
    """Between which moments results of a place are looked at, None is without end; of which series, by its columns."""

    place: Place
    since: datetime | None
    until: datetime | None
    of: dict[str, str]

    @property
    def rows(self) -> Any:
        """The standing results."""
        rows = Result.objects.for_team(self.place.team_id).current().filter(place=self.place, **self.of)
        rows = rows.filter(taken_at__gte=self.since) if self.since else rows
        return rows.filter(taken_at__lte=self.until) if self.until else rows


def series_over(stretch: Stretch) -> tuple[list[Any], bool]:
    """Return the results of a series over a stretch of time, newest first, and whether there are older ones.

    They are as many as a trend takes, as plain values.
    """
    newest = stretch.rows.newest_first().values_list(*_CHARTED, "limits_key", "visit__review", named=True)
    rows = list(newest[: MOST_POINTS + 1])
    return _without_repeated(stretch.place, rows[:MOST_POINTS]), len(rows) > MOST_POINTS


def limits_of(team: int, results: Iterable[Any]) -> dict[int, Any]:
    """Return by `limits_key` the judgements of one of the results that were judged by the same limits."""
    one = {each.limits_key: each.pk for each in results}
    return dict(Result.objects.for_team(team).filter(pk__any=one.values()).values_list("limits_key", "judgements"))


def earlier_results(place: Place, parameter: str) -> list[Any]:
    """Return the last few results of a parameter at a place, as `latest_results` does."""
    return _without_repeated(place, _earlier(team=place.team_id, place=place.pk, parameter=parameter))


def earlier_ahead(place: Place, parameters: Iterable[str]) -> None:
    """Read what earlier_results returns for several parameters, in one statement."""
    _earlier.ahead({"team": place.team_id, "place": place.pk, "parameter": each} for each in parameters)


def _without_repeated(place: Place, newest: list[Any]) -> list[Any]:
    floors = [result.determination_id for result in newest if result.censor == ">"]
    left_out = set(_repeated(team=place.team_id, floors=floors)) if floors else set()
    return [result for result in newest if result.determination_id not in left_out] if left_out else newest


def _newest(team: int, place: int, **of: str) -> Any:
    rows = Result.objects.for_team(team).current().filter(place=place, **of)
    return rows.newest_first().values_list(*_CHARTED, named=True)


_charted = compiled(lambda **of: _newest(**of)[:_CHART])
_earlier = compiled(lambda **of: _newest(**of)[:_EARLIER])


@compiled
def _repeated(team: int, floors: list[Any]) -> Any:
    return Determination.objects.for_team(team).filter(continues__any=floors).values_list("continues_id", flat=True)


def follow_ups(team: Team) -> list[Any]:
    """Return what waits for a repeat or a follow-up: results of 60 days that nothing at the place came after.

    They are plain values, as Today names them, the gravest first.
    """
    rows = _nothing_after(team=team.pk, since=timezone.now() - _FOLLOW_UP)
    return sorted(rows, key=lambda row: -gravity(row.verdict))


@compiled
def _nothing_after(team: int, since: datetime) -> Any:
    # Each by its own index: what is wanting is rare among what was found in two months.
    recent = Result.objects.for_team(team).filter(taken_at__gte=since, verdict__in=["outside", "not settled"])
    marks = Mark.objects.for_team(team).filter(lifted_at=None, flag__in=ASKS_REPEAT, result__taken_at__gte=since)
    by_verdict = recent.newest_first().values_list("pk", flat=True)[:_MOST_WANTING]
    by_mark = marks.order_by("-result_id").values_list("result_id", flat=True)[:_MOST_WANTING]
    later = Result.across_teams.filter(
        ~Mark.on_result(ENDS),
        place=OuterRef("place"),
        parameter=OuterRef("parameter"),
        fraction=OuterRef("fraction"),
        taken_at__gt=OuterRef("taken_at"),
    )
    continued = Determination.across_teams.filter(continues=OuterRef("determination"))
    rows = Result.objects.for_team(team).current().filter(pk__in=by_verdict.union(by_mark))
    waiting = rows.filter(~Exists(later), ~Exists(continued)).newest_first()
    return waiting.values_list(*_FOLLOWED, named=True)[:20]


@compiled
def result_at(team: int, pk: int) -> Any:
    """Return a result with its place, test and sample."""
    of_test = ("determination__sample__visit", "determination__sample__drawn_by")
    rows = Result.objects.for_team(team).filter(pk=pk).select_related("place", "person", "visit", *of_test)
    return rows.defer("determination__sample__visit__safety", "determination__sample__visit__closing_remark")


def with_others(found: Result) -> list[Result]:
    """Return the other results of a result's test, newest first; they and it come by their marks."""
    of_test = {"team": found.team_id, "test": found.determination_id, "pk": found.pk}
    others = _of_test(**of_test) if found.determination_id else []
    numbers = [found.pk, *(each.pk for each in others)]
    # Most results have no mark: what marks speak of is asked for where there are some.
    marked = bool(_marked(team=found.team_id, results=numbers))
    prefetched([found, *others], "marks", "result_id", _marks(team=found.team_id, results=numbers) if marked else [])
    return others


@compiled
def _of_test(team: int, test: Any, pk: int) -> Any:
    rows = Result.objects.for_team(team).filter(determination=test).exclude(pk=pk)
    return rows.order_by("-pk")[:_OF_TEST]


@compiled
def _marked(team: int, results: list[int]) -> Any:
    return Mark.objects.for_team(team).filter(result__any=results).values_list("pk", flat=True)[:1]


@compiled
def _marks(team: int, results: list[int]) -> Any:
    marks = Mark.objects.for_team(team).filter(result__any=results)
    return marks.select_related("by", "lifted_by", "quality_check", "instrument_check", "beside")


@compiled
def tests_after(team: int, test: Any) -> Any:
    """Return which tests go on with a test, or replace it."""
    rows = Determination.objects.for_team(team).filter(Q(continues=test) | Q(supersedes=test))
    return rows.values("pk", "continues", "supersedes")


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


_LATEST = 5


@compiled
def latest(team: int) -> Any:
    """Return a team's latest results, as a list prints them."""
    return listed(Result.objects.for_team(team).current().newest_first())[:_LATEST]


@compiled
def numbered(team: int, results: list[int]) -> Any:
    """Return the results of these numbers, as a list prints them, newest first."""
    return listed(Result.objects.for_team(team).filter(pk__any=results).newest_first())
