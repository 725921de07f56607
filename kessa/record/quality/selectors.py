"""Reads of checks worth a name."""

from datetime import datetime, timedelta
from typing import Any

from django.db.models import Q
from django.utils import timezone

from kessa.record.compiled import compiled
from kessa.record.quality.models import QualityCheck
from kessa.record.results.models import Result


def checks_bearing_on(result: Result) -> list[QualityCheck]:
    """Return the checks of a result's method of its day, and those that mark it, the latest first."""
    if result.tested_at is None:
        return []
    at = timezone.localtime(result.tested_at)
    begins = at.replace(hour=0, minute=0, second=0, microsecond=0)
    marking = [mark.quality_check_id for mark in result.active_marks if mark.quality_check_id]
    between = {"begins": begins, "ends": begins + timedelta(days=1)}
    return _checks(team=result.team_id, family=result.family, marking=marking, **between)


@compiled
def _checks(team: int, family: str, marking: list[int], begins: datetime, ends: datetime) -> Any:
    rows = QualityCheck.objects.for_team(team).filter(family=family)
    found = rows.filter(Q(at__gte=begins, at__lt=ends) | Q(pk__any=marking)).select_related("determination")
    return found.defer("working", "determination__method_definition", "determination__house_rules")
