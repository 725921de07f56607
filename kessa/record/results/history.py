"""A place's own past: series of results, what is usual, and with which range, test and kit to begin."""

import uuid
from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from datetime import UTC, datetime
from statistics import median
from typing import Any, NamedTuple

from django.db.models import Case, Q, When
from django.db.models.functions import Coalesce
from django.utils import timezone

from kessa.core.judging.usual import UsualRange, usual_by_season
from kessa.core.judging.written import written_form
from kessa.core.methods.exactness import CLASSES, IN_PLACE, Speaking, class_of, stands_for
from kessa.core.methods.parts import Part
from kessa.core.methods.schema import Method
from kessa.core.quantities.units import convert, in_words, sign
from kessa.record.compiled import compiled
from kessa.record.different import different
from kessa.record.instruments.models import Instrument
from kessa.record.instruments.selectors import likely
from kessa.record.kits.models import Kit
from kessa.record.kits.selectors import kits_serving
from kessa.record.people.models import Team
from kessa.record.places.models import Place
from kessa.record.places.selectors import chosen_sets
from kessa.record.results.models import OVER_TAPS, PlaceStatus, Result
from kessa.record.rules.selectors import house_rules
from kessa.record.visits.models import SETTLED

_HISTORY, _LOOKED_OVER = 200, 120
_EVER = datetime.max.replace(tzinfo=UTC)
_OF_RESULT = 6
_LATELY = 40
_LAST = 12
_COUNTED = 300


class Series(NamedTuple):
    """Results that may be compared with one another: of one parameter, fraction and class of method, written alike."""

    parameter: str
    unit: str
    form: str = ""
    fraction: str = ""
    method_class: str = ""

    @property
    def by(self) -> str:
        """By what class of method, in words."""
        return CLASSES[self.method_class].words


def series_of(method: Method, part: Part, form: str | None, fraction: str = "") -> Series:
    """Return the series to which results of a part belong where they are written as `form`."""
    return Series(part.parameter, part.unit, form or "", fraction, class_of(method, part))


class Lately(NamedTuple):
    """What was found out at a place: its series, those most frequent lately first, and what is newest of each."""

    series: list[Series]
    # By number: the newest result of each series, the newest first.
    newest: list[int]
    # The newest visit on which something was found out, and what, by numbers.
    visit: uuid.UUID | None
    on_visit: list[int]


def found_lately(place: Place) -> Lately:
    """Look over a place's newest results, and for the newest of each series that was not found out among them.

    Where two tests of a sample speak of the same thing, the more exact one stands for it.
    """
    rows = _newest_at(team=place.team_id, place=place.pk)
    if len(rows) == _LOOKED_OVER:
        rows += _newest_beyond(place, {Series(*row[_OF_RESULT:]) for row in rows})
    frequent: Counter[Series] = Counter()
    speaking: dict[tuple[Any, ...], list[Speaking]] = defaultdict(list)
    for row in rows:
        series = Series(*row[_OF_RESULT:])
        frequent[series] += 1
        if row.of_sample:
            of = (row.of_sample, series.parameter, series.fraction)
            speaking[of].append(Speaking(row.pk, series.method_class, row.low, row.high))
    speaks = {stands_for(each).key for each in speaking.values()}
    newest: dict[Series, int] = {}
    for row in rows:
        if not row.of_sample or row.pk in speaks:
            newest.setdefault(Series(*row[_OF_RESULT:]), row.pk)
    if not newest:
        return Lately([], [], None, [])
    visit = next((row.visit for row in rows if row.of_sample), None)
    on_visit = [row.pk for row in rows if row.of_sample and row.visit == visit]
    return Lately([series for series, _ in frequent.most_common()], list(newest.values()), visit, on_visit)


def held_at(place: Place) -> list[int]:
    """Return the standing results that keep somebody from drinking until a person lifts it, the newest first."""
    numbers = [pk for status in status_of(place) for pk in status.held]
    if not numbers:
        return []
    # What was put right stands for what it was.
    either = Q(pk__any=numbers) | Q(replaces__result__any=numbers)
    rows = Result.objects.for_team(place.team_id).current().filter(either)
    return list(dict.fromkeys(rows.newest_first().values_list("pk", flat=True)))


def status_of(place: Place) -> list[PlaceStatus]:
    """Return how a place stands, as it is kept; nothing where nothing was found there yet."""
    return _status(team=place.team_id, place=place.pk)


@compiled
def _status(team: int, place: int) -> Any:
    return PlaceStatus.objects.for_team(team).filter(place=place)


def series_at(place: Place) -> list[Series]:
    """Return every series of which a place ever had a result."""
    return [Series(*found) for found in different(Result, "place", place.pk, *Series._fields)]


def _newest_beyond(place: Place, seen: set[Series]) -> list[Any]:
    """Return the newest standing result of each series but those seen, the newest first."""
    asked = [
        {"team": place.team_id, "place": place.pk, **each._asdict()} for each in series_at(place) if each not in seen
    ]
    _newest_of.ahead(asked)
    found = [row for each in asked for row in _newest_of(**each)]
    return sorted(found, key=lambda row: (row.taken_at, row.pk), reverse=True)


def _newest(team: int, place: int, **of: str) -> Any:
    rows = Result.objects.for_team(team).current().filter(place=place, **of).newest_first()
    columns = ("pk", "taken_at", "low", "high", "visit", "of_sample", *Series._fields)
    # What was read in place, or reckoned over the taps of a supply, is of its visit as another is of a sample.
    of_visit = Case(When(Q(family=IN_PLACE) | Q(fraction=OVER_TAPS), then="visit"))
    rows = rows.annotate(of_sample=Coalesce("determination__sample", of_visit))
    return rows.values_list(*columns, named=True)


_newest_at = compiled(lambda **of: _newest(**of)[:_LOOKED_OVER])
_newest_of = compiled(lambda **of: _newest(**of)[:1])


def usual_at(place: Place, series: Series, before: datetime | None = None) -> UsualRange | None:
    """Learn what is usual at a place from its latest trustworthy results of a series, drawn before a moment."""
    return usual_and_last(place, series, before)[0]


def usual_ahead(place: Place, methods: Iterable[Method]) -> None:
    """Read what usual_at of today rests on for all that methods find at a place, in one statement."""
    counting = counting_in(place.team_id)
    found = {series_of(method, part, written_at(place, part)) for method in methods for part in method.parts}
    _past.ahead(
        {"team": place.team_id, "place": place.pk, "before": _EVER, **series._asdict(), **counting}
        for series in found
        if not in_words(series.unit)
    )


def usual_and_last(
    place: Place, series: Series, before: datetime | None = None
) -> tuple[UsualRange | None, list[float]]:
    """Return what is usual at a place, as usual_at does, and the last values from which it follows, newest first."""
    if in_words(series.unit):
        return None, []
    counting = counting_in(place.team_id)
    past = _past(team=place.team_id, place=place.pk, before=before or _EVER, **series._asdict(), **counting)
    day = timezone.localdate(before) if before else timezone.localdate()
    usual = usual_by_season([(timezone.localdate(at), value) for at, value in past], day)
    return usual, [value for _, value in past[:_LAST]]


def counting_in(team_id: int) -> dict[str, Any]:
    """Return by what a team's results are narrowed to those that count, by its school: nothing where all do."""
    return {"visit__review__any": [state.value for state in SETTLED]} if waits_for_review(team_id) else {}


def waits_for_review(team_id: int) -> bool:
    """Whether what nobody has reviewed does not count in a team, by its school."""
    return house_rules(team_id).chosen["before_review"] == "waits"


@compiled
def _past(team: int, place: int, before: datetime, **series: Any) -> Any:
    past = Result.objects.for_team(team).trustworthy().filter(place=place, taken_at__lt=before, **series)
    return past.newest_first().values_list("taken_at", "value")[:_HISTORY]


def suggested_method(place: Place, family: list[Method], form: str | None) -> tuple[Method, str]:
    """Return the range of a family to begin with, and why: by the place's history, else the lowest.

    `form` is the one in which results are written; history in another form than the kit's own is brought to it. Too
    little history to say what is usual still tells what was found last.
    """
    lowest = family[0]
    part = lowest.main
    if len(family) == 1:
        return lowest, _usual_words(place, lowest, form)
    usual = usual_at(place, series_of(lowest, part, form))
    high = usual.high if usual else _last_value(place, series_of(lowest, part, form))
    if high is None:
        return lowest, "No history here yet: start with the lowest range."
    own_high = high if form == part.form else convert(high, part.unit, form, part.unit, part.form)
    fitting = next((method for method in family if method.reach and own_high <= 0.8 * method.reach), family[-1])
    if usual:
        return fitting, _usual_in_words(usual, part, form)
    return fitting, f"The last one here was {high:.4g}{_written(part, form)}."


def _usual_words(place: Place, method: Method, form: str | None) -> str:
    usual = usual_at(place, series_of(method, method.main, form))
    return _usual_in_words(usual, method.main, form) if usual else ""


def _usual_in_words(usual: UsualRange, part: Part, form: str | None) -> str:
    return f"Usual here is {usual.low:.4g} to {usual.high:.4g}{_written(part, form)}."


def _written(part: Part, form: str | None) -> str:
    """Write a unit and a form after a number."""
    unit = f" {sign(part.unit)}" if sign(part.unit) else ""
    return f"{unit} as {form}" if form else unit


def _last_value(place: Place, series: Series) -> float | None:
    return next(iter(_last(team=place.team_id, place=place.pk, **series._asdict())), None)


@compiled
def _last(team: int, place: int, **series: str) -> Any:
    rows = Result.objects.for_team(team).current().filter(place=place, **series)
    return rows.newest_first().values_list("value", flat=True)[:1]


def written_at(place: Place, part: Part) -> str | None:
    """Return the form in which results of a part are written at a place, by the team's school."""
    return written_form(part, house_rules(place.team_id).chosen["written_as"], chosen_sets(place))


def tests_to_choose(place: Place, known: dict[str, list[Method]]) -> dict[str, Any]:
    """Return the tests to choose from at a place: those run here lately first, then all by what they find out."""
    tested = _families_at(team=place.team_id, place=place.pk)
    here = dict.fromkeys(family for family in tested if family in known)
    by_parameter: dict[str, list[Method]] = {}
    for methods in known.values():
        by_parameter.setdefault(_subject(methods[0]), []).append(methods[0])
    return {"here": [known[family][0] for family in here], "all": sorted(by_parameter.items())}


@compiled
def _families_at(team: int, place: int) -> Any:
    return Result.objects.for_team(team).filter(place=place).newest_first().values_list("family", flat=True)[:_LATELY]


def _subject(method: Method) -> str:
    return method.main.parameter if len(method.parts) == 1 else "several at once"


def kits_for(place: Place, family: str) -> list[Kit]:
    """Return the kits that serve a test, the one used at the place last first."""
    serving = kits_serving(place.team_id, family)
    last = last_kit_at(place) if len(serving) > 1 else None
    return sorted(serving, key=lambda kit: kit.pk != last)


def likely_instrument(place: Place, fitting: Sequence[Instrument], serving: Sequence[Kit]) -> int | None:
    """Return the number of the instrument that is chosen beforehand for a test that these kits serve."""
    if not fitting:
        return None
    return likely(fitting, serving[0].pk if serving else kit_in_use(place))


def kit_in_use(place: Place) -> int | None:
    """Return the number of the kit that is in use at a place: the one used there last, or the team's only one."""
    last = last_kit_at(place)
    if last is not None:
        return last
    kits = Kit.objects.for_team(place.team_id).values_list("pk", flat=True)[:2]
    return kits[0] if len(kits) == 1 else None


def last_kit_at(place: Place) -> int | None:
    """Return the number of the kit used at a place last, by its newest results."""
    used = _kits_at(team=place.team_id, place=place.pk)
    return next((number for number in used if number is not None), None)


@compiled
def _kits_at(team: int, place: int) -> Any:
    newest = Result.objects.for_team(team).filter(place=place).newest_first()
    return newest.values_list("determination__kit_id", flat=True)[:_LATELY]


def usual_units(team: Team) -> dict[str, float]:
    """Return how many drops or tablets a run takes, by test: the median of the team's latest counts."""
    rows = Result.objects.for_team(team).newest_first().filter(readings__has_key="runs")
    counts: dict[str, list[float]] = defaultdict(list)
    for family, runs in rows.values_list("family", "readings__runs")[:_COUNTED]:
        counts[family] += [run["count"] for run in runs if "count" in run]
    return {family: float(median(each)) for family, each in counts.items() if each}
