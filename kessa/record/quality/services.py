"""Everything that happens to checks: of instruments and of methods, run, withdrawn, and gone by."""

from datetime import timedelta
from typing import Any

from django.core.exceptions import ValidationError
from django.utils import timezone

from kessa.core.calibrating.kinds import calibrated
from kessa.core.errors import CannotCompute
from kessa.record.instruments.may import check_instrument as check_instrument_rule
from kessa.record.instruments.models import Calibration, Instrument, InstrumentCheck
from kessa.record.kits.models import MOST_DAYS
from kessa.record.people.acts import act, require_reason
from kessa.record.people.models import Membership
from kessa.record.quality import may
from kessa.record.quality.models import OwnSpread, QualityCheck
from kessa.record.quality.qualifying import lift, qualify_by_check, qualify_by_instrument
from kessa.record.quality.verification import qualify_after_standard
from kessa.record.results.models import Mark


@act("instrument checked", check_instrument_rule)
def check_instrument(by: Membership, check: InstrumentCheck) -> InstrumentCheck:
    """Write the reading of a standard, and mark what it makes doubtful."""
    check.save()
    qualify_by_instrument(check)
    return check


@act("instrument calibrated", check_instrument_rule)
def calibrate(by: Membership, instrument: Instrument, kind: str, given: dict[str, Any]) -> Calibration:
    """Write a calibration, kept as a check by the figure that decides: what a failed one makes doubtful is marked.

    One that passes sets when the next is due; after one that failed it is due now. Raises ValidationError where nothing
    comes of what was given.
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
    check = InstrumentCheck.objects.create(
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
    elif instrument.calibration_due and instrument.calibration_due > timezone.localdate(now):
        instrument.calibration_due = timezone.localdate(now)
        instrument.save(update_fields=["calibration_due"])
    qualify_by_instrument(check)
    return row


@act("check withdrawn", may.withdraw_check)
def withdraw_check(by: Membership, check: QualityCheck, *, why: str) -> QualityCheck:
    """Withdraw a blank, standard or spike that was none after all: its marks are lifted."""
    require_reason(why)
    if check.withdrawn_at:
        raise ValidationError("This check was withdrawn already.")
    check.withdrawn_at, check.withdrawn_by_id, check.withdrawn_why = timezone.now(), by.user_id, why[:300]
    check.save(update_fields=["withdrawn_at", "withdrawn_by", "withdrawn_why"])
    lift(list(Mark.objects.for_team(by.team_id).filter(quality_check=check, lifted_at=None)), by, why)
    qualify_by_check(check)
    qualify_after_standard(check.determination)
    return check


@act("instrument check withdrawn", may.withdraw_check)
def withdraw_instrument_check(by: Membership, check: InstrumentCheck, *, why: str) -> InstrumentCheck:
    """Withdraw a check of an instrument that was none after all: its marks are lifted."""
    require_reason(why)
    if check.withdrawn_at:
        raise ValidationError("This check was withdrawn already.")
    check.withdrawn_at, check.withdrawn_why = timezone.now(), why[:300]
    check.save(update_fields=["withdrawn_at", "withdrawn_why"])
    lift(list(Mark.objects.for_team(by.team_id).filter(instrument_check=check, lifted_at=None)), by, why)
    qualify_by_instrument(check)
    return check


@act("own spread gone by", may.use_own_spread)
def use_own_spread(by: Membership, spread: OwnSpread) -> OwnSpread:
    """Let the interval of a family's results follow from the team's own standards, for tests begun from now on."""
    end_spread_of(by, spread.family)
    spread.save(force_insert=True)
    return spread


@act("own spread left", may.use_own_spread)
def stop_own_spread(by: Membership, spread: OwnSpread) -> OwnSpread:
    """Go by the house's figure again, for tests begun from now on."""
    end_spread_of(by, spread.family)
    return spread


def end_spread_of(by: Membership, family: str) -> None:
    """End what a family's results went by."""
    OwnSpread.objects.for_team(by.team_id).filter(family=family, ended_at=None).update(ended_at=timezone.now())
