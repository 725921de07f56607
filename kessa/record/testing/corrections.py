"""Putting right what is in the log, setting results aside, withdrawing checks: what was before stays to be seen."""

from datetime import timedelta
from typing import Any

from django.core.exceptions import ValidationError
from django.db.models import Q
from django.utils import timezone

from kessa.core.calibrating.kinds import calibrated
from kessa.core.errors import CannotCompute
from kessa.core.judging.plausible import DOUBTS
from kessa.core.methods.parts import Part
from kessa.core.methods.schema import Method
from kessa.core.runs.flags import ENDS
from kessa.record.derived.of_samples import carry_marks
from kessa.record.determinations.may import repeat_test
from kessa.record.determinations.models import Determination, Purpose
from kessa.record.determinations.state import Bench, bench_of
from kessa.record.determinations.tapped import answer, reading
from kessa.record.instruments.may import check_instrument as check_instrument_rule
from kessa.record.instruments.models import Calibration, Instrument, InstrumentCheck
from kessa.record.kits.models import MOST_DAYS
from kessa.record.people.acts import act
from kessa.record.people.models import Membership
from kessa.record.quality.doubts import weigh_check, weigh_instrument
from kessa.record.quality.proof import weigh_lots_of
from kessa.record.results import may
from kessa.record.results.marks import Reason, end, visits_of
from kessa.record.results.models import Mark, OwnSpread, QualityCheck, Result
from kessa.record.standing.standing import restate
from kessa.record.taps.incoming import BadTap
from kessa.record.taps.selectors import counted
from kessa.record.testing.closing import settle_sample, write_results
from kessa.record.testing.services import begin_test, correct, held
from kessa.record.visits.may import correct_sample
from kessa.record.visits.models import Sample
from kessa.record.visits.services import change_sample
from kessa.record.visits.services import changed as visits_changed


@act("reading put right", may.put_right)
def put_reading_right(
    by: Membership, determination: Determination, run: int, right: dict[str, Any], *, part: str = "main", why: str
) -> list[Result]:
    """Put right what was counted or read in a run of a closed determination; return the results written anew.

    `right` is the reading as it should have been written: of a count with its `first_change` and `endpoint`. Raises
    ValidationError where there is no such run, where it cannot be computed, or without a reason.
    """
    determination = _closed(by, determination)
    _need(why)
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
    return _written_anew(by, determination, Reason("corrected", changed, by))


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


@act("answer put right", may.put_right)
def put_answer_right(by: Membership, determination: Determination, key: str, value: Any, *, why: str) -> list[Result]:
    """Put right an answer given on the way (a pH, dissolved or total) of a closed determination."""
    determination = _closed(by, determination)
    _need(why)
    try:
        right = answer(determination.method, key, value)
    except BadTap as fault:
        raise ValidationError(str(fault)) from None
    was = bench_of(determination, counted(by.team_id, determination.pk)).answers.get(key)
    correct(by, determination, "", {"key": key, "value": right, "why": why, "was": was})
    changed = f"{key}: {'not answered' if was is None else was} became {right}. {why}"
    return _written_anew(by, determination, Reason("corrected", changed, by))


@act("sample put right", correct_sample)
def put_sample_right(by: Membership, sample: Sample, changed: dict[str, Any], *, why: str) -> Sample:
    """Put right what was noted of a sample, and write what was tested on it anew."""
    _need(why)
    was = {name: getattr(sample, name) for name in changed}
    change_sample(sample, changed, why)
    visits_changed(by.team_id, [sample.visit_id])
    said = ", ".join(f"{name.replace('_', ' ')} {was[name]} became {value}" for name, value in changed.items())
    reason = Reason("corrected", f"{sample}: {said}. {why}", by)
    rows = Determination.objects.for_team(by.team_id).filter(sample=sample, purpose=Purpose.SAMPLE)
    for determination in rows.exclude(closed_at=None):
        if Result.objects.for_team(by.team_id).standing().filter(determination=determination).exists():
            _written_anew(by, held(by.team_id, determination.pk) or determination, reason)
    return sample


@act("test set aside and repeated", repeat_test)
def repeat(by: Membership, determination: Determination, *, why: str) -> Determination:
    """Set a closed test's results aside, and begin it again on the same sample.

    Raises ValidationError where nothing of it stands.
    """
    _need(why)
    determination = _closed(by, determination)
    standing = list(Result.objects.for_team(by.team_id).standing().filter(determination=determination))
    if not standing:
        raise ValidationError("Nothing of this test stands any more.")
    for result in standing:
        end(result, "set-aside", Reason("set-aside", why, by), None)
    settle_sample(determination)
    return begin_test(by, {**same_again(determination), "supersedes": str(determination.pk)})


def go_on(by: Membership, determination: Determination, dilution: float | None) -> Determination:
    """Go on after a result over the range, with everything carried over: in the next range, or diluted in the top one.

    `dilution` is how many times more the sample is diluted than it was; needed in the top range only. Going on again
    gives the same test. Raises ValidationError where it was not over the range.
    """
    following: Determination | None = Determination.objects.for_team(by.team_id).filter(continues=determination).first()
    if following:
        return following
    rows = Result.objects.for_team(by.team_id).standing().filter(determination=determination, censor=">")
    if not rows.exists():
        raise ValidationError("This test was not over its range.")
    next_range = determination.method.main.next_range
    if next_range is None and not dilution:
        raise ValidationError("This was the top range: choose how far to dilute.")
    said = same_again(determination) | {"continues": str(determination.pk)}
    said["method"] = next_range or determination.method_key
    said["dilution"] = determination.dilution * (dilution or 1.0)
    try:
        return begin_test(by, said)
    except ValidationError:
        begun: Determination | None = Determination.objects.for_team(by.team_id).filter(continues=determination).first()
        if begun:
            return begun
        raise


def same_again(determination: Determination) -> dict[str, Any]:
    """Return what a test was begun with, to begin it once more on the same sample."""
    return {
        "sample": str(determination.sample_id),
        "method": determination.method_key,
        "dilution": determination.dilution,
        "kit": determination.kit_id,
        "lot": "" if determination.kit_id else determination.lot,
        "instrument": determination.instrument_id,
    }


@act("instrument checked", check_instrument_rule)
def check_instrument(by: Membership, check: InstrumentCheck) -> InstrumentCheck:
    """Write the reading of a standard, and mark what it makes doubtful."""
    check.save()
    weigh_instrument(check.instrument)
    return check


@act("instrument calibrated", check_instrument_rule)
def calibrate(by: Membership, instrument: Instrument, kind: str, given: dict[str, Any]) -> Calibration:
    """Write a calibration, kept as a check by the figure that decides: what a failed one makes doubtful is marked.

    One that passes sets when the next is due. Raises ValidationError where nothing comes of what was given.
    """
    try:
        found = calibrated(kind, given)
    except CannotCompute as fault:
        raise ValidationError(fault.message) from None
    figure, now = found.deciding, timezone.now()
    row = Calibration.objects.create(
        team_id=by.team_id,
        instrument=instrument,
        kind=kind,
        at=now,
        person=by.user,
        given=given,
        figures=[each._asdict() for each in found.figures],
        words=list(found.words),
        passed=found.passed,
    )
    expected, allowed = figure.as_check
    InstrumentCheck.objects.create(
        team_id=by.team_id,
        instrument=instrument,
        at=now,
        person=by.user,
        standard=f"calibration: {figure.name}, {figure.unit}"[:120],
        reading=figure.value,
        expected=expected,
        allowed=allowed,
        calibration=row,
    )
    if found.passed:
        instrument.used_since = 0
        if instrument.calibrate_every_days:
            days = min(instrument.calibrate_every_days, MOST_DAYS)
            instrument.calibration_due = timezone.localdate(now) + timedelta(days=days)
        instrument.save(update_fields=["calibration_due", "used_since"])
    weigh_instrument(instrument)
    return row


def _written_anew(by: Membership, determination: Determination, reason: Reason) -> list[Result]:
    bench = bench_of(determination, counted(by.team_id, determination.pk))
    assert determination.closed_at is not None
    if determination.purpose != Purpose.SAMPLE:
        raise ValidationError("A check is not put right: withdraw it, and run another.")
    return write_results(determination, bench, determination.closed_at, reason)


def _closed(by: Membership, determination: Determination) -> Determination:
    found = held(by.team_id, determination.pk)
    if found is None or found.closed_at is None:
        raise ValidationError("This test is open still: take the tap back on the bench.")
    return found


@act("result set aside", may.set_aside)
def set_aside(by: Membership, result: Result, *, why: str) -> Result:
    """Set a standing result aside, without a new test; raises ValidationError where it stands no more."""
    _need(why)
    _hold(result)
    if _ending(result) is not None:
        raise ValidationError("This result stands no more.")
    end(result, "set-aside", Reason("set-aside", why, by), None)
    settle_sample(result.determination)
    restate(result.place)
    return result


@act("result brought back", may.bring_back)
def bring_back(by: Membership, result: Result, *, why: str) -> Result:
    """Let a result that was set aside stand again; raises ValidationError where another stands in its place."""
    _need(why)
    _hold(result)
    mark = _ending(result)
    if mark is None or mark.flag != "set-aside":
        raise ValidationError("This result was not set aside.")
    others = Result.objects.for_team(by.team_id).standing()
    after = Q(determination=result.determination_id) | Q(determination__supersedes=result.determination_id)
    if result.determination_id and others.filter(after, part=result.part).exists():
        raise ValidationError("Another result of the same test stands in its place.")
    lift([mark], by, why)
    settle_sample(result.determination)
    restate(result.place)
    return result


@act("number stood by", may.put_right)
def stand_by(by: Membership, determination: Determination, result: Result, *, flag: str) -> Result:
    """Say that a number about which something was asked is right: the mark is lifted, by whom stays to be seen."""
    if flag not in DOUBTS:
        raise ValidationError("This was not asked.")
    marks = list(Mark.objects.for_team(by.team_id).filter(result=result, flag=flag, lifted_at=None))
    lift(marks, by, "it is right")
    return result


def lift(marks: list[Mark], by: Membership, why: str) -> None:
    """Lift marks: the results are as they were without them."""
    numbers = [mark.pk for mark in marks]
    rows = Mark.objects.for_team(by.team_id).filter(pk__any=numbers, lifted_at=None)
    rows.update(lifted_at=timezone.now(), lifted_by_id=by.user_id, lifted_why=why[:300])
    visits_changed(by.team_id, visits_of(by.team_id, [mark.result_id for mark in marks]))
    for flag in {mark.flag for mark in marks}:
        carry_marks(by.team_id, flag, [mark.result_id for mark in marks if mark.flag == flag])


@act("check withdrawn", may.withdraw_check)
def withdraw_check(by: Membership, check: QualityCheck, *, why: str) -> QualityCheck:
    """Withdraw a blank, standard or spike that was none after all: its marks are lifted."""
    _need(why)
    if check.withdrawn_at:
        raise ValidationError("This check was withdrawn already.")
    check.withdrawn_at, check.withdrawn_by_id, check.withdrawn_why = timezone.now(), by.user_id, why[:300]
    check.save(update_fields=["withdrawn_at", "withdrawn_by", "withdrawn_why"])
    lift(list(Mark.objects.for_team(by.team_id).filter(quality_check=check, lifted_at=None)), by, why)
    weigh_check(check)
    weigh_lots_of(check.determination)
    return check


@act("instrument check withdrawn", may.withdraw_check)
def withdraw_instrument_check(by: Membership, check: InstrumentCheck, *, why: str) -> InstrumentCheck:
    """Withdraw a check of an instrument that was none after all: its marks are lifted."""
    _need(why)
    if check.withdrawn_at:
        raise ValidationError("This check was withdrawn already.")
    check.withdrawn_at, check.withdrawn_why = timezone.now(), why[:300]
    check.save(update_fields=["withdrawn_at", "withdrawn_why"])
    lift(list(Mark.objects.for_team(by.team_id).filter(instrument_check=check, lifted_at=None)), by, why)
    weigh_instrument(check.instrument)
    return check


def _hold(result: Result) -> None:
    """Hold what a result rests on, so that nobody else ends it or brings it back at the same moment."""
    if result.determination_id:
        held(result.team_id, result.determination_id)


def _ending(result: Result) -> Mark | None:
    rows = Mark.objects.for_team(result.team_id).filter(result=result, flag__in=ENDS, lifted_at=None)
    found: Mark | None = rows.first()
    return found


def _need(why: str) -> None:
    if not why.strip():
        raise ValidationError("Say why, in up to 300 characters: the reason stays with the result.")


@act("own spread gone by", may.go_by_spread)
def go_by_spread(by: Membership, spread: OwnSpread) -> OwnSpread:
    """Let the interval of a family's results follow from the team's own standards, for tests begun from now on."""
    end_spread_of(by, spread.family)
    spread.save(force_insert=True)
    return spread


@act("own spread left", may.go_by_spread)
def leave_spread(by: Membership, spread: OwnSpread) -> OwnSpread:
    """Go by the house's figure again, for tests begun from now on."""
    end_spread_of(by, spread.family)
    return spread


def end_spread_of(by: Membership, family: str) -> None:
    """End what a family's results went by."""
    OwnSpread.objects.for_team(by.team_id).filter(family=family, ended_at=None).update(ended_at=timezone.now())
