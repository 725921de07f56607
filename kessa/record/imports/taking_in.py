"""Writing what was found in a file: visits, samples and judged results, many at a time, and undoing it all."""

from collections import defaultdict
from collections.abc import Callable, Sequence
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID, uuid5

from django.db import transaction
from django.utils import timezone

from kessa.core.job.schools import near_limit
from kessa.core.judging.holding import Context
from kessa.core.judging.limits import RuleSet, speaking_of
from kessa.core.methods.exactness import TAKEN_IN
from kessa.record.advice.place_status import restate
from kessa.record.bulk import copy_in
from kessa.record.imports.models import Import
from kessa.record.imports.rows import ReadRow
from kessa.record.people.numbers import take_numbers
from kessa.record.places.models import Place
from kessa.record.places.selectors import chosen_sets
from kessa.record.results.assessing import Assessed, assess
from kessa.record.results.context import context_of
from kessa.record.results.models import Mark, PlaceStatus, Result
from kessa.record.results.written import Found, result_of
from kessa.record.rules.selectors import house_rules
from kessa.record.visits.models import Sample, Visit

_AT_ONCE, _JUDGED_AT_ONCE, _YEAR = 5000, 500, timedelta(days=366)
_MOST_ASSESSED = 200_000


class Writer:
    """Writes what was found in a file, a batch at a time; what is there already is left as it is."""

    def __init__(self, imported: Import, tell: Callable[[int], None] = lambda _: None) -> None:
        self.imported, self.team, self.tell = imported, imported.team, tell
        self.rule = near_limit(house_rules(imported.team_id).chosen)
        self.sets: dict[int, tuple[RuleSet, ...]] = {}
        self.written = self.there_already = 0
        self.touched: dict[int, Place] = {}
        self._parameters: dict[int, set[str]] = defaultdict(set)
        self._assessed: dict[Any, Assessed] = {}
        self._known: dict[int, set[int]] = {}

    @transaction.atomic
    def write(self, found: Sequence[ReadRow]) -> None:
        """Write a batch."""
        new = self._new(found)
        self.there_already += len(found) - len(new)
        if not new:
            return
        visits = self._visits(new)
        copy_in(Result, (self._result(each, *visits[each.place.pk, each.at]) for each in new))
        self.written += len(new)
        for each in new:
            self.touched[each.place.pk] = each.place
            self._parameters[each.place.pk].add(each.parameter)

    def finish(self) -> None:
        """Judge by other results where limits want that, now that all are there; let the places know what was found."""
        for place in self.touched.values():
            self._judge_by_others(place)
            restate(place)

    def _judge_by_others(self, place: Place) -> None:
        """Judge anew what is held against limits that depend on its sample's other results, or on those before it.

        Of the latter kind only what is of the last year: what an average was long ago decides nothing any more.
        """
        for parameter in sorted(self._parameters[place.pk]):
            limits = [limit for _, limit in speaking_of(parameter, self.sets[place.pk], place.kind_key, place.feeds)]
            if any(limit.formula for limit in limits):
                self._judge_again(place, parameter)
            elif any(limit.compared or limit.about.wants_past for limit in limits):
                self._judge_again(place, parameter, started_at__gte=timezone.now() - _YEAR)

    def _judge_again(self, place: Place, parameter: str, **of_visits: Any) -> None:
        sets, visits = self.sets[place.pk], Visit.objects.for_team(self.team).filter(place=place, **of_visits)
        # By number, never by a join: PostgreSQL believes that there are none of what was written just now.
        numbers = list(visits.filter(taken_in=self.imported.number).values_list("pk", flat=True))
        rows = Result.objects.for_team(self.team).filter(parameter=parameter).select_related("sample__visit")
        for piece in (numbers[n : n + _JUDGED_AT_ONCE] for n in range(0, len(numbers), _JUDGED_AT_ONCE)):
            results = list(rows.filter(visit__any=piece))
            for result in results:
                context = context_of(place, result.sample, result.parameter, sets, None, result.taken_at)
                assessed = assess(result.parameter, result.quantity, sets, self.rule, context)
                result.verdict, result.judgements = assessed.verdict, assessed.judgements
                result.not_judged = assessed.not_judged
            # Until all of a file is in, what came of it is not in the record yet, and may change.
            Result._base_manager.bulk_update(results, ["verdict", "judgements", "not_judged"])
            self.tell(0)

    def _new(self, found: Sequence[ReadRow]) -> list[ReadRow]:
        """Return what is not in the record yet: of the same place, second, test and number."""
        for place in {each.place.pk for each in found} - self._known.keys():
            rows = Result.objects.for_team(self.team).filter(place=place).order_by()
            known = rows.values_list("taken_at", "parameter", "fraction", "value", "censor").iterator(_AT_ONCE)
            # One number for each: a place may have a million results.
            self._known[place] = {hash((int(at.timestamp()), *rest)) for at, *rest in known}
        return [each for each in found if _key(each) not in self._known[each.place.pk]]

    def _visits(self, found: Sequence[ReadRow]) -> dict[tuple[int, datetime], tuple[UUID, UUID]]:
        """Return the visit and sample of each place and time, made where they are not there."""
        numbers = {
            (each.place.pk, each.at): (
                uuid5(self.imported.number, f"{each.place.pk} {each.at.timestamp()}"),
                uuid5(self.imported.number, f"sample {each.place.pk} {each.at.timestamp()}"),
            )
            for each in found
        }
        remarks: dict[tuple[int, datetime], dict[str, None]] = defaultdict(dict)
        for each in found:
            if each.remark:
                remarks[each.place.pk, each.at][each.remark] = None
        there = dict(
            Visit.objects.for_team(self.team)
            .filter(pk__any=[visit for visit, _ in numbers.values()])
            .values_list("pk", "note")
        )
        for key, (visit, _) in numbers.items():
            # Rows of one sample may stand far apart.
            new = [each for each in remarks.get(key, ()) if visit in there and each not in there[visit].split("; ")]
            if new:
                note = "; ".join(filter(None, [there[visit], *new]))
                Visit.objects.for_team(self.team).filter(pk=visit).update(note=note)
        made = {key: pair for key, pair in numbers.items() if pair[0] not in there}
        timed = {(each.place.pk, each.at) for each in found if each.is_timed}
        copy_in(Visit, (
            Visit(pk=visit, team_id=self.team.pk, place_id=place, started_at=at, time_known=(place, at) in timed,
                  note="; ".join(remarks[place, at]),
                  taken_in=self.imported.number, imported_by_id=self.imported.asked_by_id)
            for (place, at), (visit, _) in made.items()
        ))  # fmt: skip
        first = take_numbers(self.team.pk, "next_sample_number", len(made))
        copy_in(Sample, (
            Sample(pk=sample, team_id=self.team.pk, visit_id=visit, number=number, drawn_at=at,
                   time_known=(place, at) in timed)
            for number, ((place, at), (visit, sample)) in enumerate(made.items(), first)
        ))  # fmt: skip
        return numbers

    def _result(self, row: ReadRow, visit: UUID, sample: UUID) -> Result:
        words = f"{row.words} in “{self.imported.name}”, row {row.row}"
        found = Found(
            place=row.place,
            visit_id=visit,
            sample_id=sample,
            person_id=None,
            taken_at=row.at,
            time_known=row.is_timed,
            tested_at=None,
            family=TAKEN_IN,
            part="main",
            parameter=row.parameter,
            fraction=row.fraction,
            method_class=TAKEN_IN,
            quantity=row.quantity,
            readings={"words": words, "people": [], "used": []},
            working=[
                f"Taken over as it was written: {words}. How far it may be off, nobody computed: "
                + ("its ends are those of the file." if row.has_ends else "half of its last digit is kept for it."),
                *([] if row.is_timed else ["No time of day stands with it: noon is kept for it."]),
            ],
            made_from={"notebook": self.imported.pk, "row": row.row},
        )
        return result_of(found, self._assess(row))

    def _assess(self, row: ReadRow) -> Assessed:
        """Return how a number stands; the same at the same place is assessed once: numbers of kits repeat."""
        key = (row.place.pk, row.parameter, row.fraction, row.quantity)
        if key not in self._assessed:
            if len(self._assessed) > _MOST_ASSESSED:
                self._assessed.clear()
            place = row.place
            if place.pk not in self.sets:
                self.sets[place.pk] = chosen_sets(place)
            context = Context(row.at, kind=place.kind_key, feeds=frozenset(place.feeds))
            self._assessed[key] = assess(row.parameter, row.quantity, self.sets[place.pk], self.rule, context)
        return self._assessed[key]


def _key(found: ReadRow) -> int:
    at = int(found.at.timestamp())
    return hash((at, found.parameter, found.fraction, found.quantity.value, found.quantity.censor or ""))


def undo(imported: Import, tell: Any) -> int:
    """Take everything out again that came of a file; return how many results that were."""
    visits = Visit.objects.for_team(imported.team_id).filter(taken_in=imported.number)
    gone, touched = 0, set()
    while True:
        numbers = list(visits.order_by("pk").values_list("pk", flat=True)[:_AT_ONCE])
        if not numbers:
            break
        with transaction.atomic():
            results = Result.objects.for_team(imported.team_id).filter(visit__any=numbers)
            touched |= set(results.order_by().values_list("place", flat=True).distinct())
            Mark.objects.for_team(imported.team_id).filter(result__visit__any=numbers).delete()
            PlaceStatus.objects.for_team(imported.team_id).filter(result__visit__any=numbers).update(result=None)
            removed = results._raw_delete(results.db)
            samples = Sample.objects.for_team(imported.team_id).filter(visit__any=numbers)
            samples._raw_delete(samples.db)
            these = Visit.objects.for_team(imported.team_id).filter(pk__any=numbers)
            these._raw_delete(these.db)
        gone += removed
        tell(removed)
    for place in Place.objects.for_team(imported.team_id).filter(pk__in=touched).select_related("team"):
        restate(place)
    return gone
