"""Results that follow from a visit's readings by themselves: written, written anew, or ended with what they rest on."""

from collections.abc import Iterable
from datetime import datetime
from typing import Any, NamedTuple

from django.db.models import Q
from django.utils import timezone

from kessa.core.derived.recipes import FLOW, HEIGHT, OF_VISITS, RECIPES, SUPPLY, Derived, Recipe, derive, lacking
from kessa.core.errors import CannotCompute
from kessa.core.job.schools import near_limit
from kessa.core.judging.holding import rule_for
from kessa.core.methods.exactness import COUNT, DERIVED, SCREENING
from kessa.core.quantities.quantity import Quantity
from kessa.record.compiled import compiled
from kessa.record.derived.calculated import CALCULATED, Calculated, said_of_imported, supersede
from kessa.record.determinations.models import Determination, LotUse
from kessa.record.places.models import PairKind, Place
from kessa.record.places.selectors import paired
from kessa.record.results.context import FROM_SUPPLY, OF_SUPPLY, given_to_recipes, rows_of, rows_of_supply
from kessa.record.results.marks import flags_carried, mark
from kessa.record.results.models import OVER_TAPS, Mark, Result
from kessa.record.results.written import Found
from kessa.record.rules.selectors import house_rules
from kessa.record.together import follows_once
from kessa.record.visits.models import Sample, Visit


class MissingReading(NamedTuple):
    """Something that one reading more would tell, and which reading."""

    parameter: str
    reading: str


class _At(NamedTuple):
    """Where and when something is derived, and from which rows of the log."""

    place: Place
    visit: Visit
    sample: Sample | None
    rows: dict[str, Any]
    given: dict[str, Quantity]


@follows_once
def derive_of_sample(sample: Sample) -> None:
    """Settle what follows from the readings of a sample."""
    at = _of_sample(sample)
    _write(at, [each for each in _recipes(at.place) if each.needs[0].name not in OF_VISITS])


def derive_of_visit(visit: Visit) -> None:
    """Settle what follows from what was read on a visit, sample by sample, and of the visit alone."""
    for sample in visit.samples.select_related("visit__place__team").order_by("drawn_at", "number"):
        derive_of_sample(sample)
    place = visit.place
    if place.kind.is_plant:
        read = [each for each in _recipes(place) if each.needs[0].name in OF_VISITS]
        _write(_At(place, visit, None, {}, given_to_recipes(place, None, visit, {})), read)


def derive_of_fed(supply: Place, at: datetime, names: Iterable[str]) -> list[Place]:
    """Settle what follows in the systems that a place feeds from what was found of some parameters in it; return them.

    What was found at a moment speaks for what is drawn there about that time.
    """
    if not set(FROM_SUPPLY).intersection(names):
        return []
    fed = paired(supply, PairKind.SUPPLY, first=True)
    samples = Sample.objects.for_team(supply.team_id).filter(visit__place__in=fed)
    about = samples.filter(visit__started_at__range=(at - OF_SUPPLY, at + OF_SUPPLY))
    for sample in about.select_related("visit__place__team").order_by("drawn_at", "number"):
        derive_of_sample(sample)
    return fed


def missing_readings(sample: Sample) -> list[MissingReading]:
    """Return what one reading more of a sample would tell."""
    at = _of_sample(sample)
    found = []
    for recipe in _recipes(at.place):
        # The first of its needs is what it is about: without it nobody asks.
        missing = lacking(recipe, at.given)
        if len(missing) == 1 and missing[0] != recipe.needs[0].name and recipe.parameter not in at.rows:
            found.append(MissingReading(recipe.parameter, _called(missing[0])))
    return list(dict.fromkeys(found))


def _called(reading: str) -> str:
    if reading.startswith(SUPPLY):
        return f"the {reading.removeprefix(SUPPLY)} of its supply"
    return f"the {reading}" if reading in (HEIGHT, FLOW) else f"the {reading} of the same sample"


def _of_sample(sample: Sample) -> _At:
    place = sample.visit.place
    rows = rows_of(sample)
    rows |= rows_of_supply(place, sample.visit.started_at, rows)
    return _At(place, sample.visit, sample, rows, given_to_recipes(place, sample, sample.visit, rows))


def _recipes(place: Place) -> list[Recipe]:
    return [each for each in RECIPES if each.holds_at(place.kind_key, place.water)]


def _write(at: _At, recipes: Iterable[Recipe]) -> None:
    current = {each.part: each for each in _current(at)}
    for recipe in recipes:
        derived = None if recipe.parameter in at.rows else _derived(recipe, at)
        now = _calculated(recipe, derived, at) if derived else None
        supersede(current.get(recipe.key), now, at.sample)


def _derived(recipe: Recipe, at: _At) -> Derived | None:
    if lacking(recipe, at.given):
        return None
    try:
        return derive(recipe, at.given, _one_bottle(recipe, at))
    except CannotCompute:
        return None


def _one_bottle(recipe: Recipe, at: _At) -> dict[str, float]:
    """Return the readings a recipe needs that were counted with the same bottle, and to what percent each is good."""
    found = [(need.name, at.rows[need.name]) for need in recipe.needs if need.name in at.rows]
    counted = {name: row for name, row in found if row.method_class == COUNT and row.determination_id}
    if len(counted) < 2:
        return {}
    numbers = {row.determination_id for row in counted.values()}
    tests = Determination.objects.for_team(at.place.team_id).in_bulk(numbers)
    lots: dict[Any, set[int]] = {number: set() for number in numbers}
    for use in LotUse.objects.for_team(at.place.team_id).filter(determination__in=numbers).select_related("lot"):
        drops = tests[use.determination_id].method.drop_of
        if drops and use.lot.supply_key == drops[0]:
            lots[use.determination_id].add(use.lot_id)
    # The stages of one test are counted with one bottle, named or not.
    if len(numbers) > 1 and not set.intersection(*lots.values()):
        return {}
    parts = {name: tests[row.determination_id].method.part(row.part) for name, row in counted.items()}
    return {name: part.numbers.precision_percent for name, part in parts.items()}


def _current(at: _At) -> list[Result]:
    if at.sample:
        found: list[Result] = _of(team=at.place.team_id, sample=at.sample.pk)
        return found
    rows = Result.objects.for_team(at.place.team_id).current()
    return list(rows.filter(place=at.place, family=DERIVED, sample=None, made_from__visit=str(at.visit.pk)))


@compiled
def _of(team: int, sample: Any) -> Any:
    return Result.objects.for_team(team).current().filter(sample=sample, family=DERIVED)


def _calculated(recipe: Recipe, derived: Derived, at: _At) -> Calculated:
    needed = {need.name: at.rows[need.name] for need in recipe.needs if need.name in at.rows}
    numbers = [each.pk for each in needed.values()]
    # Who tested the supply did so another time.
    inputs = [each for name, each in needed.items() if not name.startswith(SUPPLY)]
    school = near_limit(house_rules(at.place.team_id).chosen)
    found = Found(
        place=at.place,
        visit_id=at.visit.pk,
        sample_id=at.sample.pk if at.sample else None,
        person_id=_person(at, inputs),
        taken_at=at.sample.drawn_at if at.sample else at.visit.started_at,
        tested_at=max((each.tested_at for each in inputs), default=at.visit.started_at),
        family=DERIVED,
        part=recipe.key,
        parameter=recipe.parameter,
        method_class=DERIVED,
        quantity=derived.quantity,
        readings=CALCULATED,
        working=[*derived.working, *said_of_imported(needed.values())],
        made_from={"visit": str(at.visit.pk), "results": numbers},
    )
    return Calculated(
        found,
        flags=flags_carried(at.place.team_id, numbers),
        rule=rule_for(recipe.parameter, school, screened=any(each.method_class == SCREENING for each in inputs)),
    )


def _person(at: _At, inputs: list[Any]) -> int | None:
    if inputs:
        person: int | None = max(inputs, key=lambda each: each.tested_at).person_id
        return person
    last = at.visit.observations.filter(key="make_up").first()
    person = last.person_id if last else at.visit.leader_id
    assert person is not None  # what was read on a visit was read by somebody
    return int(person)


def carry_marks(team_id: int, flag: str, inputs: Iterable[int]) -> list[int]:
    """Let what rests on results carry a flag as long as one of them does; return what does so otherwise than before."""
    followed = []
    changed = set(inputs)
    theirs = Result.objects.for_team(team_id).filter(pk__any=changed)
    resting = Result.objects.for_team(team_id).current().filter(family=DERIVED)
    # What rests on the taps of a supply, or on a supply itself, rests on other visits too.
    elsewhere = Q(fraction=OVER_TAPS) | Q(place__pairs_as_second__first__in=theirs.values("place"))
    for row in resting.filter(Q(visit__in=theirs.values("visit")) | elsewhere).distinct():
        rests_on = row.made_from.get("results", [])
        if not changed & set(rests_on):
            continue
        wanted = flag in flags_carried(team_id, rests_on)
        there = Mark.objects.for_team(team_id).filter(result=row, flag=flag, lifted_at=None)
        if wanted == there.exists():
            continue
        followed.append(row.pk)
        if wanted:
            mark(row, [flag], None)
        else:
            there.update(lifted_at=timezone.now())
    return followed
