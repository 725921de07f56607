"""Writing what was found in a notebook: visits, samples and judged results, many at a time, and undoing it all."""

import json
from collections.abc import Iterable, Sequence
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID, uuid5

from django.db import connection, transaction
from django.utils import timezone

from kessa.core.job.schools import near_limit
from kessa.core.judging.holding import Beside, judge_by_sets, not_judged, verdict_by
from kessa.core.methods.exactness import TAKEN_IN
from kessa.record.advice.place_status import restate
from kessa.record.imports.models import Notebook
from kessa.record.imports.rows import Found
from kessa.record.people.numbers import take_numbers
from kessa.record.places.models import Place
from kessa.record.places.selectors import chosen_sets
from kessa.record.results.models import Mark, Result, Standing
from kessa.record.rules.selectors import house_rules
from kessa.record.visits.models import Sample, Visit

_VISIT = (
    "id",
    "team_id",
    "place_id",
    "started_at",
    "safety",
    "note",
    "closing_remark",
    "left_out",
    "review",
    "taken_in",
)
_SAMPLE = ("id", "team_id", "visit_id", "number", "way", "drawn_at", "drawn_by_id")
_RESULT = (
    "team_id", "sample_id", "visit_id", "place_id", "person_id", "taken_at", "tested_at", "part", "family", "parameter",
    "fraction", "method_class", "value", "low", "high", "censor", "unit", "form", "verdict", "readings", "made_from",
    "working", "judgements", "not_judged", "test_asks", "computed_at",
)  # fmt: skip
_SECOND = timedelta(seconds=1)
_AT_ONCE = 5000


class Writer:
    """Writes what was found in a notebook, a batch at a time; what is there already is left as it is."""

    def __init__(self, notebook: Notebook) -> None:
        self.notebook, self.team = notebook, notebook.team
        self.rule = near_limit(house_rules(notebook.team_id).chosen)
        self.sets = {}  # type: ignore[var-annotated]
        self.written = self.there_already = 0
        self.touched: dict[int, Place] = {}
        self._judged: dict[Any, tuple[str, str, str]] = {}

    @transaction.atomic
    def write(self, found: Sequence[Found]) -> None:
        """Write a batch."""
        new = self._new(found)
        self.there_already += len(found) - len(new)
        if not new:
            return
        visits = self._visits(new)
        now = timezone.now().isoformat()
        _copy(Result, _RESULT, (self._result(each, visits[each.place.pk, each.at], now) for each in new))
        self.written += len(new)
        self.touched |= {each.place.pk: each.place for each in new}

    def finish(self) -> None:
        """Let the places know what was found there."""
        for place in self.touched.values():
            restate(place)

    def _new(self, found: Sequence[Found]) -> list[Found]:
        """Return what is not in the record yet: of the same place, second, test and number."""
        places, ats = {each.place.pk for each in found}, [each.at for each in found]
        near = Result.objects.for_team(self.team).filter(place__in=places)
        near = near.filter(taken_at__gte=min(ats) - _SECOND, taken_at__lte=max(ats) + _SECOND)
        known = {
            (place, int(at.timestamp()), *rest)
            for place, at, *rest in near.values_list("place", "taken_at", "parameter", "fraction", "value", "censor")
        }
        return [each for each in found if _key(each) not in known]

    def _visits(self, found: Sequence[Found]) -> dict[tuple[int, datetime], tuple[UUID, UUID]]:
        """Return the visit and sample of each place and time, made where they are not there."""
        numbers = {
            (each.place.pk, each.at): (
                uuid5(self.notebook.number, f"{each.place.pk} {each.at.timestamp()}"),
                uuid5(self.notebook.number, f"sample {each.place.pk} {each.at.timestamp()}"),
            )
            for each in found
        }
        remarks = {(each.place.pk, each.at): each.remark for each in found}
        there = set(
            Visit.objects.for_team(self.team)
            .filter(pk__any=[visit for visit, _ in numbers.values()])
            .values_list("pk", flat=True)
        )
        made = {key: pair for key, pair in numbers.items() if pair[0] not in there}
        team, by = self.team.pk, self.notebook.asked_by_id
        _copy(Visit, _VISIT, (
            (visit, team, place, at, "{}", remarks[place, at], "", "[]", "new", self.notebook.number)
            for (place, at), (visit, _) in made.items()
        ))  # fmt: skip
        first = take_numbers(self.team.pk, "next_sample_number", len(made))
        _copy(Sample, _SAMPLE, (
            (sample, team, visit, number, "", at, by)
            for number, ((_, at), (visit, sample)) in enumerate(made.items(), first)
        ))  # fmt: skip
        return numbers

    def _result(self, found: Found, numbers: tuple[UUID, UUID], now: str) -> tuple[Any, ...]:
        quantity = found.quantity
        verdict, judgements, left = self._judge(found)
        words = f"{found.words} in “{self.notebook.name}”, row {found.row}"
        return (
            self.team.pk, numbers[1], numbers[0], found.place.pk, self.notebook.asked_by_id, found.at, found.at, "main",
            TAKEN_IN, found.parameter, found.fraction, TAKEN_IN, quantity.value, quantity.low, quantity.high,
            quantity.censor or "", quantity.unit, quantity.form or "", verdict,
            json.dumps({"words": words, "people": [], "used": []}),
            json.dumps({"notebook": self.notebook.pk, "row": found.row}),
            json.dumps([f"Taken over as it was written: {words}. Its last digit says how far it may be off."]),
            judgements, left, "[]", now,
        )  # fmt: skip

    def _judge(self, found: Found) -> tuple[str, str, str]:
        """Return the verdict, and as JSON the judgements and what could not judge.

        The same number at the same place is judged once: numbers of kits repeat.
        """
        key = (found.place.pk, found.parameter, found.fraction, found.quantity)
        if key not in self._judged:
            if len(self._judged) > 200_000:
                self._judged.clear()
            place, quantity = found.place, found.quantity
            if place.pk not in self.sets:
                self.sets[place.pk] = chosen_sets(place)
            sets = self.sets[place.pk]
            beside = Beside(found.at, kind=place.kind_key, feeds=frozenset(place.feeds))
            judgements = judge_by_sets(quantity, found.parameter, sets, self.rule, beside)
            left = [(each.title, why) for each, _, why in not_judged(quantity, found.parameter, sets, beside)]
            verdict = verdict_by(found.parameter, judgements) or ""
            self._judged[key] = (verdict, json.dumps(judgements), json.dumps(left))
        return self._judged[key]


def _key(found: Found) -> tuple[Any, ...]:
    at = int(found.at.timestamp())
    return (found.place.pk, at, found.parameter, found.fraction, found.quantity.value, found.quantity.censor or "")


def _copy(model: Any, columns: Sequence[str], rows: Iterable[tuple[Any, ...]]) -> None:
    """Write rows by COPY, columns that are not named by their defaults."""
    # Made beforehand: while they are sent nothing else can be asked.
    rows = list(rows)
    names = ", ".join(f'"{name}"' for name in columns)
    with connection.cursor() as cursor, cursor.copy(f'COPY "{model._meta.db_table}" ({names}) FROM STDIN') as copy:
        for row in rows:
            copy.write_row(row)


def undo(notebook: Notebook, tell: Any) -> int:
    """Take everything out again that came of a notebook; return how many results that were."""
    visits = Visit.objects.for_team(notebook.team_id).filter(taken_in=notebook.number)
    gone, touched = 0, set()
    while True:
        numbers = list(visits.order_by("pk").values_list("pk", flat=True)[:_AT_ONCE])
        if not numbers:
            break
        with transaction.atomic():
            results = Result.objects.for_team(notebook.team_id).filter(visit__any=numbers)
            touched |= set(results.order_by().values_list("place", flat=True).distinct())
            Mark.objects.for_team(notebook.team_id).filter(result__visit__any=numbers).delete()
            Standing.objects.for_team(notebook.team_id).filter(result__visit__any=numbers).update(result=None)
            removed = results._raw_delete(results.db)
            samples = Sample.objects.for_team(notebook.team_id).filter(visit__any=numbers)
            samples._raw_delete(samples.db)
            these = Visit.objects.for_team(notebook.team_id).filter(pk__any=numbers)
            these._raw_delete(these.db)
        gone += removed
        tell(removed)
    for place in Place.objects.for_team(notebook.team_id).filter(pk__in=touched).select_related("team"):
        restate(place)
    return gone
