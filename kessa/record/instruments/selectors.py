"""Reads about instruments worth a name."""

from collections.abc import Collection, Sequence
from datetime import date, datetime, timedelta
from typing import Any

from django.db.models import OuterRef, Subquery
from django.utils import timezone

from kessa.core.quantities.parameters import parameter, parameters
from kessa.record.compiled import compiled
from kessa.record.instruments.models import Instrument, InstrumentCheck, ReceivedReading
from kessa.record.people.models import Team

CHECK_FAILED, CHECK_OVERDUE = "check-failed", "check-overdue"


def instruments_of(team: Team | int) -> list[Instrument]:
    """Return a team's instruments, each with its `last_check` (None before the first) and its `faults`."""
    number = team if isinstance(team, int) else team.pk
    found = _with_last(team=number)
    numbers = [row.last_pk for row in found if row.last_pk]
    last = {each.pk: each for each in _checks(team=number, checks=numbers)} if numbers else {}
    for instrument in found:
        instrument.last_check = last.get(instrument.last_pk)
        instrument.faults = faults_of(instrument, instrument.last_check, timezone.localdate())
    return found


def _standing(team: int) -> Any:
    return InstrumentCheck.objects.for_team(team).filter(withdrawn_at=None)


@compiled
def _with_last(team: int) -> Any:
    newest = _standing(team).filter(instrument=OuterRef("pk")).order_by("-at", "-pk")
    rows = Instrument.objects.for_team(team).select_related("kit")
    return rows.annotate(last_pk=Subquery(newest.values("pk")[:1]))


@compiled
def _checks(team: int, checks: list[int]) -> Any:
    return _standing(team).filter(pk__any=checks).select_related("person")


@compiled
def instrument_at(team: int, pk: int) -> Any:
    """Return the instrument of a number; none where the team has none."""
    return Instrument.objects.for_team(team).filter(pk=pk)


def likely(fitting: Sequence[Instrument], kit: int | None, last: int | None = None) -> int | None:
    """Return the number of the instrument that is chosen beforehand: one of the `kit` in use, else one of no kit.

    Of several it is the one that read there `last`; where that is none of them the person chooses. It is never one
    that failed its check, and never another kit's.
    """
    own = [each for each in fitting if (each.kit_id == kit if kit is not None else each.pk == last)]
    own = own or [each for each in fitting if each.kit_id is None]
    chosen = own if len(own) == 1 else [each for each in own if each.pk == last]
    return next((each.pk for each in chosen if CHECK_FAILED not in each.faults), None)  # type: ignore[attr-defined]


def faults_at(instrument: Instrument, at: datetime) -> list[str]:
    """Return what stood against an instrument at a moment."""
    last = next(iter(_last_check(team=instrument.team_id, instrument=instrument.pk, at=at)), None)
    return faults_of(instrument, last, timezone.localdate(at))


@compiled
def _last_check(team: int, instrument: int, at: datetime) -> Any:
    return _standing(team).filter(instrument=instrument, at__lte=at).order_by("-at", "-pk")[:1]


def instruments_for(team: Team | int, measures: str | None) -> list[Instrument]:
    """Return the instruments that measure something, those first that nothing stands against."""
    if measures is None:
        return []
    fitting = [each for each in instruments_of(team) if each.measures == measures]
    return sorted(fitting, key=lambda each: len(each.faults))  # type: ignore[attr-defined]


def faults_of(instrument: Instrument, last: InstrumentCheck | None, day: date) -> list[str]:
    """Return what stands against an instrument on a day, by its last check and its calibration, as flags."""
    # Its calibration's date is moved on by each that passes.
    failed = last is not None and not last.passed
    every = instrument.check_every_days
    unchecked = every is not None and (last is None or (day - timezone.localdate(last.at)).days > every)
    most = instrument.calibrate_every_uses
    uncalibrated = (instrument.calibration_due is not None and day > instrument.calibration_due) or (
        most is not None and instrument.used_since >= most
    )
    return [flag for flag, holds in ((CHECK_FAILED, failed), (CHECK_OVERDUE, unchecked or uncalibrated)) if holds]


@compiled
def instrument_names(team: int) -> Any:
    """Return the numbers, names and serials of a team's instruments, by name."""
    return Instrument.objects.for_team(team).order_by("name").values_list("pk", "name", "serial")


# So long what was shown is offered.
_OFFERED, _MOST_OFFERED = timedelta(minutes=10), 4


def latest_readings(instrument: Instrument) -> list[ReceivedReading]:
    """Return what one instrument showed just now, the newest first."""
    return list(instrument.readings.filter(at__gte=timezone.now() - _OFFERED)[:_MOST_OFFERED])


@compiled
def _readings_since(team: int, measures: str, since: datetime) -> Any:
    rows = ReceivedReading.objects.for_team(team).filter(instrument__measures=measures, at__gte=since)
    return rows.select_related("instrument").order_by("-at")[:_MOST_OFFERED]


def offered(team_id: int, measures: str, of: Collection[str] = ()) -> list[ReceivedReading]:
    """Return what instruments that measure something showed just now, the newest first.

    Where it is wanted `of` some parameters, what the instrument says is another's is left out.
    """
    rows = _readings_since(team=team_id, measures=measures, since=timezone.now() - _OFFERED)
    wanted = {parameter(each).key for each in of}
    return [row for row in rows if not wanted or _said_of(row) in (None, *wanted)]


def _said_of(row: ReceivedReading) -> str | None:
    """Return the parameter of which an instrument says it is; None where it says none that is known."""
    key = parameter(row.what).key
    return key if key in parameters() else None
