"""A place's own past: series of results, what is usual, and with which range, test and kit to begin."""

import uuid
from collections import Counter, defaultdict
from statistics import median
from typing import Any, NamedTuple

from kessa.core.judging.judge import VERDICTS
from kessa.core.judging.usual import UsualRange, usual_range
from kessa.core.judging.written import written_form
from kessa.core.methods.exactness import CLASSES, Speaking, class_of, stands_for
from kessa.core.methods.parts import Part
from kessa.core.methods.schema import Method
from kessa.core.quantities.units import convert, in_words
from kessa.kits.models import Kit
from kessa.kits.selectors import kits_serving
from kessa.log.models import Result
from kessa.people.models import Team
from kessa.places.models import Place
from kessa.rules.selectors import house_rules

_HISTORY = 200
_LATELY = 40
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
    """What was found out at a place lately: its series, the most frequent first, and the result that presses most."""

    series: list[Series]
    pressing: Result | None
    # The visit of the newest of them that was made at one, and what was found out on it.
    visit: uuid.UUID | None
    on_visit: list[int]


def found_lately(place: Place) -> Lately:
    """Look over a place's newest results; the gravest verdict among the newest of each series presses most.

    Where two tests of a sample speak of the same thing, the more exact one stands for it.
    """
    newest = Result.objects.for_team(place.team_id).standing().filter(place=place).newest_first()
    columns = ("pk", "verdict", "low", "high", "determination__sample_id", "determination__sample__visit_id")
    rows = list(newest.values_list(*columns, *Series._fields)[:_HISTORY])
    visit = next((row[5] for row in rows if row[5]), None)
    speaking: dict[tuple[Any, ...], list[Speaking]] = defaultdict(list)
    for pk, _, low, high, sample, _visit, *written in rows:
        series = Series(*written)
        speaking[sample, series.parameter, series.fraction].append(Speaking(pk, series.method_class, low, high))
    standing = {stands_for(each).key for of, each in speaking.items() if of[0] is not None}
    frequent: Counter[Series] = Counter()
    verdicts: dict[Series, tuple[int, str]] = {}
    for pk, verdict, _, _, sample, _visit, *written in rows:
        series = Series(*written)
        frequent[series] += 1
        if sample is None or pk in standing:
            verdicts.setdefault(series, (pk, verdict))
    if not verdicts:
        return Lately([], None, None, [])
    pressing, _ = max(verdicts.values(), key=lambda each: ("", *VERDICTS).index(each[1]))
    found = newest.prefetch_related("marks").get(pk=pressing)
    on_visit = [row[0] for row in rows if visit and row[5] == visit]
    return Lately([series for series, _ in frequent.most_common()], found, visit, on_visit)


def usual_at(place: Place, series: Series, before: Any = None) -> UsualRange | None:
    """Learn what is usual at a place from its latest trustworthy results of a series, drawn before a moment."""
    if in_words(series.unit):
        return None
    past = Result.objects.for_team(place.team_id).trustworthy().filter(place=place, **series._asdict())
    if before is not None:
        past = past.filter(taken_at__lt=before)
    return usual_range(list(past.newest_first().values_list("value", flat=True)[:_HISTORY]))


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
    written = f" as {form}" if form else ""
    if usual:
        return fitting, f"Usual here is {usual.low:.4g} to {usual.high:.4g} {part.unit}{written}."
    return fitting, f"The last one here was {high:.4g} {part.unit}{written}."


def _usual_words(place: Place, method: Method, form: str | None) -> str:
    part = method.main
    usual = usual_at(place, series_of(method, part, form))
    written = f" as {form}" if form else ""
    return f"Usual here is {usual.low:.4g} to {usual.high:.4g} {part.unit}{written}." if usual else ""


def _last_value(place: Place, series: Series) -> float | None:
    rows = Result.objects.for_team(place.team_id).standing().filter(place=place, **series._asdict())
    value: float | None = rows.newest_first().values_list("value", flat=True).first()
    return value


def written_at(place: Place, part: Part) -> str | None:
    """Return the form in which results of a part are written at a place, by the team's school."""
    return written_form(part, house_rules(place.team_id).chosen["written_as"], place.limit_sets)


def tests_to_choose(place: Place, known: dict[str, list[Method]]) -> dict[str, Any]:
    """Return the tests to choose from at a place: those run here lately first, then all by what they find out."""
    newest = Result.objects.for_team(place.team_id).filter(place=place).newest_first()
    here = dict.fromkeys(family for family in newest.values_list("family", flat=True)[:_LATELY] if family in known)
    by_parameter: dict[str, list[Method]] = {}
    for methods in known.values():
        by_parameter.setdefault(_subject(methods[0]), []).append(methods[0])
    return {"here": [known[family][0] for family in here], "all": sorted(by_parameter.items())}


def _subject(method: Method) -> str:
    return method.main.parameter if len(method.parts) == 1 else "several at once"


def kits_for(place: Place, family: str) -> list[Kit]:
    """Return the kits that serve a test, the one used at the place last first."""
    last = last_kit_at(place)
    return sorted(kits_serving(place.team_id, family), key=lambda kit: kit.pk != last)


def last_kit_at(place: Place) -> int | None:
    """Return the number of the kit used at a place last, by its newest results."""
    newest = Result.objects.for_team(place.team_id).filter(place=place).newest_first()
    used = newest.values_list("determination__kit_id", flat=True)[:_HISTORY]
    return next((number for number in used if number is not None), None)


def usual_units(team: Team) -> dict[str, float]:
    """Return how many drops or tablets a run takes, by test: the median of the team's latest counts."""
    rows = Result.objects.for_team(team).newest_first().filter(readings__has_key="runs")
    counts: dict[str, list[float]] = defaultdict(list)
    for family, runs in rows.values_list("family", "readings__runs")[:_COUNTED]:
        counts[family] += [run["count"] for run in runs if "count" in run]
    return {family: float(median(each)) for family, each in counts.items() if each}
