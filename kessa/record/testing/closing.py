"""Writing what the runs came to: results with their marks, or what a check came to."""

from collections.abc import Collection, Iterable
from datetime import datetime, timedelta
from typing import Any

from django.db.models import prefetch_related_objects
from django.dispatch import Signal
from django.utils import timezone

from kessa.core.judging.formulas import GIVES_A_LIMIT
from kessa.core.judging.limits import speaking_of
from kessa.core.methods.exactness import class_of
from kessa.core.methods.in_place import READ_AS
from kessa.core.methods.parts import Part
from kessa.core.quantities.parameters import parameter as known_parameter
from kessa.core.quantities.quantity import Quantity
from kessa.core.runs.checks import CheckOutcome, check_blank, check_spike, check_standard
from kessa.core.runs.events import CLOSED, REOPENED
from kessa.record.advice.place_status import restate
from kessa.record.compiled import compiled, read_once
from kessa.record.derived.field_readings import write_field_readings
from kessa.record.derived.of_samples import derive_of_fed, derive_of_sample, derive_of_visit
from kessa.record.derived.over_taps import taps_of
from kessa.record.determinations.models import Determination, Purpose
from kessa.record.determinations.state import Bench, bench_of
from kessa.record.kits.models import Lot
from kessa.record.people.models import Membership
from kessa.record.people.selectors import Hand, hands_named
from kessa.record.places.models import Place
from kessa.record.quality.control_charts import what_breaks
from kessa.record.quality.models import QualityCheck
from kessa.record.quality.qualifying import qualify_by_check, qualify_contradictions, qualify_results
from kessa.record.quality.verification import qualify_after_standard, qualify_by_lots
from kessa.record.results.context import OF_SUPPLY, READ_ON_VISIT
from kessa.record.results.marks import Reason, end
from kessa.record.results.models import PlaceStatus, Result
from kessa.record.results.written import Found, keep, result_of
from kessa.record.taps.models import Tap
from kessa.record.taps.selectors import counted
from kessa.record.taps.services import moment
from kessa.record.testing.judgement import fraction_of, judge_outcome
from kessa.record.testing.lots import book
from kessa.record.testing.selectors import test_at
from kessa.record.testing.services import tabled
from kessa.record.together import together
from kessa.record.visits.models import Sample, Visit

# Sent where results were written, with them; in the same transaction.
written = Signal()


def close(by: Membership, determination: Determination, bench: Bench, at: datetime) -> None:
    """Close a test: write the results of each part, or what the check came to, and book what was used."""
    # What was used up meanwhile marks what was measured with it.
    book(determination, bench)
    reopened = _reopened(determination)
    reason = Reason("further-run", reopened, by) if reopened is not None else None
    if determination.purpose == Purpose.SAMPLE:
        results = write_results(determination, bench, at, reason)
        limiting = [each.parameter for each in results if known_parameter(each.parameter).key in GIVES_A_LIMIT]
        if limiting and determination.sample:
            judge_again(determination.sample, by, " and ".join(limiting))
    else:
        _write_check(determination, bench, at)
    determination.closed_at = at
    determination.save(update_fields=["closed_at"])


@together()
@read_once()
def lot_tabled(lot: Lot, by: Membership, **_: Any) -> None:
    """Write in the log what was marked on strips of a lot and closed before its table was written."""
    for determination in tabled(lot):
        taps = counted(lot.team_id, determination.pk)
        closing = next((tap for tap in reversed(taps) if tap.kind in (CLOSED, REOPENED)), None)
        if closing is None or closing.kind == REOPENED:
            continue
        row = test_at(team=lot.team_id, pk=determination.pk)[0]
        bench = bench_of(row, taps)
        if not bench.waits_for_table(row.method) and bench.concluded:
            close(by, row, bench, max(moment(closing.at, timedelta(0), timezone.now()), row.started_at))


def write_results(determination: Determination, bench: Bench, at: datetime, reason: Reason | None) -> list[Result]:
    """Write a result for each part that was read; what stood before and is another now is superseded.

    What is no longer read leaves no result standing. A part that came out as it was keeps its result.
    """
    current = {each.part: each for each in _current(determination)} if _has_results(determination) else {}
    anew = reason is not None and reason.flag == "judged-anew"
    new = []
    for part in determination.method.finds:
        before = current.get(part.key)
        if bench.outcomes[part.key].quantity is None:
            if before:
                end(before, "superseded", reason, None)
            continue
        result, flags = _result(determination, bench, part, at)
        if before and _alike(before, result, flags) and (not anew or _judged_alike(before, result)):
            continue
        keep(result, flags, reason, before)
        new.append(result)
    # How a place stands rests on what its results are marked with.
    qualify_results(new)
    qualify_by_lots(determination.team_id, [determination])
    recheck_sample(determination)
    if new:
        written.send(Result, results=new)
    return new


def recheck_sample(determination: Determination | None) -> None:
    """Settle what the results of a test's sample say together: what cannot both be true, and what follows from them."""
    if determination is None or determination.sample is None:
        return
    qualify_contradictions(determination)
    if determination.purpose == Purpose.SAMPLE:
        sample = determination.sample
        derive_of_sample(sample)
        _restate(sample.place, sample.drawn_at, determination.method.parameters)


def _restate(place: Place, at: datetime, found: Iterable[str]) -> None:
    """Keep how a place stands after something was found there, and how those it feeds do."""
    for each in (place, *derive_of_fed(place, at, found)):
        restate(each)


def visit_noted(sender: Any, by: Membership, visit: Visit, keys: Collection[str], **_: Any) -> None:
    """Write what was read in place on a visit, settle what follows from it, and judge anew what depends on it."""
    if READ_ON_VISIT.isdisjoint(keys):
        return
    with together():
        new = write_field_readings(visit)
        derive_of_visit(visit)
        for sample in visit.samples.select_related("visit__place__team"):
            judge_again(sample, by, "the water's temperature")
        _restate(visit.place, visit.started_at, [method.main.parameter for method in READ_AS.values()])
    if new:
        written.send(Result, results=new)


def place_changed(sender: Any, place: Place, **_: Any) -> None:
    """Let what follows from its last samples, and what stands, follow a place's height, pairs, use and facts."""
    drawn = Sample.objects.for_team(place.team_id).filter(visit__place=place, drawn_at__gte=timezone.now() - OF_SUPPLY)
    for sample in drawn.select_related("visit__place__team"):
        derive_of_sample(sample)
    known = PlaceStatus.objects.for_team(place.team_id).filter(place=place)
    if known.exists() or taps_of(place):
        restate(place)


def judge_again(sample: Sample, by: Membership, came_in: str) -> None:
    """Write results of a sample anew whose limits depend on another reading of it, where that makes another verdict."""
    reason = Reason("judged-anew", f"its limit depends on {came_in}, which was not there yet, or was put right", by)
    rows = Result.objects.for_team(sample.team_id).current().filter(determination__sample=sample)
    waiting = {row.determination_id for row in rows.select_related("determination") if _by_formula(row)}
    for pk in waiting:
        determination = test_at(team=sample.team_id, pk=pk)[0]
        if determination.closed_at:
            bench = bench_of(determination, counted(sample.team_id, pk))
            write_results(determination, bench, determination.closed_at, reason)


def _by_formula(row: Result) -> bool:
    determination = row.determination
    assert determination is not None
    return any(limit.formula for _, limit in speaking_of(row.parameter, determination.rule_sets))


def _current(determination: Determination) -> Iterable[Result]:
    found = _current_of(team=determination.team_id, test=determination.pk)
    prefetch_related_objects(found, "marks")
    return found


@compiled
def _current_of(team: int, test: Any) -> Any:
    return Result.objects.for_team(team).current().filter(determination=test)


def _alike(before: Result, after: Result, flags: list[str]) -> bool:
    kept = ("value", "low", "high", "censor", "unit", "form", "readings", "taken_at", "fraction")
    same = all(getattr(before, name) == getattr(after, name) for name in kept)
    return same and set(flags) <= set(before.flags)


def _judged_alike(before: Result, after: Result) -> bool:
    """Whether two results of one test are held against the same numbers."""
    one, other = (
        [(each["set"], each["statistic"], each["max"], each["verdict"]) for each in result.judgements]
        for result in (before, after)
    )
    return one == other


def _result(determination: Determination, bench: Bench, part: Part, at: datetime) -> tuple[Result, list[str]]:
    outcome = bench.outcomes[part.key]
    quantity, sample = outcome.quantity, determination.sample
    assert quantity is not None and sample is not None
    judged = judge_outcome(determination, part, bench)
    people = [hand for number in outcome.used for hand in bench.people.get(number, [])]
    answered = [doubt.words for doubt in judged.answered]
    found = Found(
        place=sample.place,
        visit_id=sample.visit_id,
        determination_id=determination.pk,
        person_id=people[-1].person if people else determination.started_by_id,
        taken_at=sample.drawn_at,
        tested_at=at,
        family=determination.family,
        part=part.key,
        parameter=part.parameter,
        fraction=fraction_of(bench),
        method_class=class_of(determination.method, part),
        method_key=determination.method_key,
        instrument_id=determination.instrument_id,
        quantity=quantity,
        readings=_readings(determination, bench, part, people) | {"stood_by": answered},
        working=outcome.working,
        made_from={"taps": bench.read_by(part)},
    )
    result = result_of(found, judged.assessed, judged.test_asks)
    # What is looked at next is known already.
    result.determination = determination
    return result, judged.flags


def _readings(determination: Determination, bench: Bench, part: Part, people: list[Hand]) -> dict[str, Any]:
    readings = bench.readings(part)
    return {
        # Of what was computed, the sum is what there is to see.
        "words": part.said_together(list(readings.values())) or bench.outcomes[part.key].working[0],
        "runs": [{"number": number, **reading} for number, reading in readings.items()],
        "used": list(bench.outcomes[part.key].used),
        "people": hands_named(people),
        "void": [number for number, state in sorted(bench.samples.items()) if state.voided],
        "answers": bench.answers,
        "blank": bench.blank._asdict() if bench.blank else None,
        "dilution": determination.dilution,
    }


def _reopened(determination: Determination) -> str | None:
    """Why a determination was opened again after something was written; None where it was not."""
    if not _has_results(determination):
        return None
    rows = Tap.objects.for_team(determination.team_id).filter(stream=determination.pk, kind=REOPENED)
    last = rows.order_by("-seq").first()
    return str(last.data.get("why", "")) if last else None


def _has_results(determination: Determination) -> bool:
    return bool(_written_of(team=determination.team_id, test=determination.pk))


@compiled
def _written_of(team: int, test: Any) -> Any:
    return Result.objects.for_team(team).filter(determination=test).values_list("pk", flat=True)[:1]


def _write_check(determination: Determination, bench: Bench, at: datetime) -> None:
    found = bench.outcomes[determination.method.main.key].quantity
    assert found is not None
    came_to = _check_outcome(determination, found)
    people = [hand for each in bench.people.values() for hand in each]
    check, _ = QualityCheck.objects.for_team(determination.team_id).update_or_create(
        team_id=determination.team_id,
        determination=determination,
        defaults={
            "family": determination.family,
            "kit": determination.kit,
            "person_id": people[-1].person if people else determination.started_by_id,
            "sent_by_id": people[-1].sent_by if people else None,
            "at": at,
            "found": found.value,
            "expected": came_to.expected,
            "unit": found.unit,
            "form": found.form or "",
            "percent": came_to.percent,
            "good": came_to.good,
            "working": [came_to.working],
        },
    )
    check.breaks = what_breaks(check)
    check.save(update_fields=["breaks"])
    qualify_by_check(check)
    qualify_after_standard(determination)


def _check_outcome(determination: Determination, found: Quantity) -> CheckOutcome:
    against = determination.check_against
    if determination.purpose == Purpose.BLANK:
        return check_blank(found, determination.method.main.least or 0.0)
    if determination.purpose == Purpose.STANDARD:
        return check_standard(found, against["expected"])
    volumes = (against["sample_ml"], against["added_ml"], against["added_strength"])
    return check_spike(found, against["in_sample"], *volumes)
