"""Everything that changes instruments, and takes in what they show."""

from collections.abc import Sequence
from datetime import datetime, timedelta

from django.core.exceptions import ValidationError
from django.utils import timezone

from kessa.core.adapters.adapter import InstrumentReading as Said
from kessa.core.errors import CannotCompute
from kessa.core.importing.days import Clock, moment_of, zone_of
from kessa.core.quantities.units import can_be, convert
from kessa.record.instruments import may
from kessa.record.instruments.models import Instrument, ReceivedReading
from kessa.record.people.acts import act
from kessa.record.people.models import Membership

# A clock may be off by so much; nothing was shown before.
_AHEAD, _FIRST_YEAR, _MOST = timedelta(minutes=5), 2000, 20_000


@act("instrument kept", may.keep_instrument)
def keep_instrument(by: Membership, instrument: Instrument) -> Instrument:
    """Write a new or changed instrument."""
    instrument.save()
    return instrument


@act("readings of an instrument taken in", may.take_shown, logged=False)
def take_readings(by: Membership, instrument: Instrument, shown: Sequence[Said], came_by: str) -> int:
    """Keep what an instrument showed, each once; returns how many were new.

    A reading without a time was shown just now. Raises ValidationError where one cannot be the instrument's.
    """
    if len(shown) > _MOST:
        raise ValidationError(f"At most {_MOST:,} readings at once.")
    rows = [_row(instrument, each, came_by) for each in shown]
    kept = ReceivedReading.objects.for_team(by.team_id).filter(instrument=instrument, at__any=[row.at for row in rows])
    there = set(kept.values_list("at", "display"))
    new = {(row.at, row.display): row for row in rows if (row.at, row.display) not in there}
    ReceivedReading.objects.bulk_create(new.values(), ignore_conflicts=True, batch_size=1000)
    return len(new)


def clear_readings(before: datetime) -> int:
    """Forget readings that came in before a moment and that nobody took over; returns how many."""
    gone, _ = ReceivedReading.across_teams.filter(came_at__lt=before, taken_over=False).delete()
    return gone


def _row(instrument: Instrument, given: Said, came_by: str) -> ReceivedReading:
    now = timezone.now()
    at = given.at or now
    if timezone.is_naive(at):
        try:
            at = moment_of(at.date(), Clock(at.time(), None), zone_of(timezone.get_current_timezone_name()), f"{at}")
        except CannotCompute as fault:
            raise ValidationError(f"{fault.message} Let the instrument write its times in UTC.") from None
    if at > now + _AHEAD or at.year < _FIRST_YEAR:
        raise ValidationError(f"{at:%Y-%m-%d %H:%M}: the instrument's clock is wrong.")
    if given.display is None and not given.over:
        raise ValidationError("A reading shows a number, or that it is over the range.")
    if given.unit != instrument.unit:
        try:
            convert(given.display or 0.0, given.unit, None, instrument.unit, None)
        except CannotCompute:
            raise ValidationError(f"{instrument} shows {instrument.unit}, not {given.unit[:20]}.") from None
    low, high = can_be(given.unit)
    if given.display is not None and not low <= given.display <= high:
        raise ValidationError(f"{given.display:g} {given.unit[:20]} cannot be.")
    return ReceivedReading(
        team_id=instrument.team_id,
        instrument=instrument,
        at=at,
        display=None if given.over else given.display,
        unit=given.unit,
        temperature_c=given.temperature_c,
        over=given.over,
        what=given.what[:60],
        came_by=came_by[:80],
    )
