"""Checks of a method: what a blank, a standard or a spike came to, and what that says of the day's results."""

from datetime import datetime, time, timedelta
from typing import Any

from django.core.exceptions import ValidationError
from django.db.models import QuerySet
from django.utils import timezone

from kessa.bench.models import Determination, Purpose, QualityCheck, Result
from kessa.core.errors import CannotCompute
from kessa.core.planning.dilution import Standard, make_standard
from kessa.core.planning.recovery import INSIDE, recovery, spike_recovery
from kessa.core.quantities.quantity import Quantity, plain

BAD = "quality-bad"


def plan_standard(stock: float, want: float, make_ml: float, smallest_ml: float) -> Standard:
    """Work out how a standard is made from its stock; raises ValidationError where it cannot be."""
    try:
        return make_standard(stock, want, make_ml, smallest_ml)
    except CannotCompute as error:
        raise ValidationError(error.message) from None


def write_check(determination: Determination, found: Quantity, at: datetime) -> QualityCheck:
    """Judge what a check came to, and mark the results of that day by the method where it was bad."""
    against, least = determination.check_against, determination.method.main.least or 0.0
    percent: float | None = None
    if determination.purpose == Purpose.BLANK:
        expected, good = 0.0, found.censor == "<" or found.value <= least
        line = f"A blank may show up to {plain(least)} {found.unit}: it showed {plain(found.value)}"
    elif determination.purpose == Purpose.STANDARD:
        expected = against["expected"]
        percent, verdict = recovery(found.value, expected)
        good = verdict == INSIDE and found.censor is None
        line = f"{plain(found.value)} of {plain(expected)} {found.unit} found: {plain(percent)} %, 85 to 115 is good"
    else:
        expected = _in_spiked(against)
        volumes = (against["sample_ml"], against["added_ml"], against["added_strength"])
        percent = spike_recovery(against["in_sample"], found.value, *volumes)
        good = recovery(max(percent, 0.0), 100.0)[1] == INSIDE and found.censor is None
        line = f"{plain(percent)} % of the spike was found, corrected for its volume; 85 to 115 is good"
    check = QualityCheck.objects.create(
        team=determination.team,
        determination=determination,
        family=determination.method.family,
        kit=determination.kit,
        person=determination.started_by,
        at=at,
        found=found.value,
        expected=expected,
        unit=found.unit,
        form=found.form or "",
        percent=percent,
        good=good,
        working=[line],
    )
    if not good:
        for result in _of_day(Result.objects.for_team(determination.team_id).standing(), at).filter(
            determination__kit=determination.kit, determination__method_key=determination.method_key
        ):
            result.flags = list(dict.fromkeys([*result.flags, BAD]))
            result.save(update_fields=["flags"])
    return check


def _in_spiked(against: dict[str, Any]) -> float:
    """The strength of the spiked sample if all of the spike is found."""
    added = against["added_ml"] * against["added_strength"]
    return float((against["in_sample"] * against["sample_ml"] + added) / (against["sample_ml"] + against["added_ml"]))


def _of_day(rows: QuerySet[Any], at: datetime, field: str = "taken_at") -> QuerySet[Any]:
    begins = timezone.make_aware(datetime.combine(timezone.localdate(at), time.min))
    return rows.filter(**{f"{field}__gte": begins, f"{field}__lt": begins + timedelta(days=1)})


def checks_of_day(determination: Determination, at: datetime) -> list[QualityCheck]:
    """Return the checks of a determination's method and kit on the day of a moment, the latest first."""
    rows = QualityCheck.objects.for_team(determination.team_id).filter(
        family=determination.method.family, kit=determination.kit
    )
    return list(_of_day(rows, at, "at").select_related("determination", "person"))


def latest_check_was_bad(determination: Determination, at: datetime) -> bool:
    """Whether the latest check of that day, of the method and kit of a determination, was bad."""
    checks = checks_of_day(determination, at)
    return bool(checks) and not checks[0].good
