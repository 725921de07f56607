"""Correcting what a closed test or its sample was noted with: what was before stays to be seen."""

from typing import Any

from django.core.exceptions import ValidationError

from kessa.core.errors import CannotCompute
from kessa.core.methods.parts import Part
from kessa.core.methods.schema import Method
from kessa.record.determinations.models import Determination, Purpose
from kessa.record.determinations.state import Bench, bench_of
from kessa.record.determinations.tapped import answer, reading
from kessa.record.people.acts import act, require_reason
from kessa.record.people.models import Membership
from kessa.record.results import may
from kessa.record.results.marks import Reason
from kessa.record.results.models import Result
from kessa.record.taps.incoming import BadTap
from kessa.record.taps.selectors import counted
from kessa.record.testing.closing import write_results
from kessa.record.testing.services import correct, held
from kessa.record.visits.may import correct_sample as correct_sample_rule
from kessa.record.visits.models import Sample
from kessa.record.visits.services import change_sample
from kessa.record.visits.services import changed as visits_changed


@act("reading put right", may.correct)
def correct_reading(
    by: Membership, determination: Determination, run: int, right: dict[str, Any], *, part: str = "main", why: str
) -> list[Result]:
    """Put right what was counted or read in a run of a closed determination; return the results written anew.

    `right` is the reading as it should have been written: of a count with its `first_change` and `endpoint`. Raises
    ValidationError where there is no such run, where it cannot be computed, or without a reason.
    """
    determination = closed_test(by, determination)
    require_reason(why)
    method = determination.method
    of = next((each for each in method.parts if each.key == part), None)
    if of is None:
        raise ValidationError("This test has no such part.")
    bench = bench_of(determination, counted(by.team_id, determination.pk))
    before = bench.readings(of).get(run)
    if before is None:
        raise ValidationError("This run was not read, or does not count.")
    for name, data in _as_taps(method, of, run, right, bench):
        correct(by, determination, name, {**data, "why": why, "was": before})
    changed = f"run {run}: {of.said(before)} became {of.said(right)}. {why}"
    return _written_again(by, determination, Reason("corrected", changed, by))


def _as_taps(
    method: Method, part: Part, run: int, right: dict[str, Any], bench: Bench
) -> list[tuple[str, dict[str, Any]]]:
    """Return what is put right, by the run of the taps that it belongs to, checked by computing with it."""
    try:
        if not part.counted:
            return [(f"sample-{run}", {"part": part.key, "reading": reading(method, part.key, right)})]
        part.determine(right)
    except (BadTap, CannotCompute) as fault:
        raise ValidationError(getattr(fault, "message", str(fault))) from None
    if "system" in right:
        sides = (("sample", "system"), ("supply", "supply"))
        return [
            (f"{role}-{run}", {"count": int(right[side]), "endpoint": right.get(f"{side}_end", True)})
            for role, side in sides
        ]
    # Of a vessel counted in two stages both together are put right by what came on top.
    before = bench.firsts[run].count if part.counts == "all" else 0
    if right["count"] < before:
        raise ValidationError(f"The first stage alone took {before}: put that right first.")
    count = {"count": int(right["count"]) - before, "endpoint": right.get("endpoint", True)}
    turned = right.get("first_change")
    role = "first" if part.counts == "first" else "sample"
    return [(f"{role}-{run}", {**count, "first_change": None if turned is None else max(int(turned) - before, 0)})]


@act("answer put right", may.correct)
def correct_answer(by: Membership, determination: Determination, key: str, value: Any, *, why: str) -> list[Result]:
    """Put right an answer given on the way (a pH, dissolved or total) of a closed determination."""
    determination = closed_test(by, determination)
    require_reason(why)
    try:
        right = answer(determination.method, key, value)
    except BadTap as fault:
        raise ValidationError(str(fault)) from None
    was = bench_of(determination, counted(by.team_id, determination.pk)).answers.get(key)
    correct(by, determination, "", {"key": key, "value": right, "why": why, "was": was})
    changed = f"{key}: {'not answered' if was is None else was} became {right}. {why}"
    return _written_again(by, determination, Reason("corrected", changed, by))


@act("sample put right", correct_sample_rule)
def correct_sample(by: Membership, sample: Sample, changed: dict[str, Any], *, why: str) -> Sample:
    """Put right what was noted of a sample, and write what was tested on it anew."""
    require_reason(why)
    if sample.visit.taken_in:
        raise ValidationError("This sample was imported: exclude its results, or undo the import.")
    was = {name: getattr(sample, name) for name in changed}
    change_sample(sample, changed, why)
    visits_changed(by.team_id, [sample.visit_id])
    words = ", ".join(f"{name.replace('_', ' ')} {was[name]} became {value}" for name, value in changed.items())
    reason = Reason("corrected", f"{sample}: {words}. {why}", by)
    rows = Determination.objects.for_team(by.team_id).filter(sample=sample, purpose=Purpose.SAMPLE)
    for determination in rows.exclude(closed_at=None):
        if Result.objects.for_team(by.team_id).current().filter(determination=determination).exists():
            _written_again(by, held(by.team_id, determination.pk) or determination, reason)
    return sample


def _written_again(by: Membership, determination: Determination, reason: Reason) -> list[Result]:
    bench = bench_of(determination, counted(by.team_id, determination.pk))
    assert determination.closed_at is not None
    if determination.purpose != Purpose.SAMPLE:
        raise ValidationError("A check is not put right: withdraw it, and run another.")
    return write_results(determination, bench, determination.closed_at, reason)


def closed_test(by: Membership, determination: Determination) -> Determination:
    """Return a closed test with its row locked; raises ValidationError where it is open still."""
    found = held(by.team_id, determination.pk)
    if found is None or found.closed_at is None:
        raise ValidationError("This test is open still: take the tap back on the bench.")
    return found
