"""Putting marks on results: what ended them, what makes them doubtful."""

from collections.abc import Iterable
from typing import Any, NamedTuple

from django.utils import timezone

from kessa.core.runs.flags import ENDS
from kessa.record.compiled import compiled
from kessa.record.people.models import Membership
from kessa.record.results.models import Mark, Result
from kessa.record.visits.services import changed


class Reason(NamedTuple):
    """Why results are written anew: the flag that says so, the words, and who."""

    flag: str
    why: str
    by: Membership


@compiled
def active_on(team: int, results: list[int]) -> Any:
    """Return the marks that stand on results."""
    return Mark.objects.for_team(team).filter(lifted_at=None, result__any=results)


# What is said of one reading, not of what rests on it.
_OWN = {*ENDS, "unusual", "corrected", "judged-anew", "further-run", "diluted"}


def flags_carried(team_id: int, results: Iterable[int]) -> tuple[str, ...]:
    """Return the flags of results that what rests on them carries too."""
    rows = Mark.objects.for_team(team_id).filter(result__any=list(results), lifted_at=None)
    flags = dict.fromkeys(rows.order_by("pk").values_list("flag", flat=True))
    return tuple(flag for flag in flags if flag not in _OWN)


def end(result: Result, flag: str, reason: Reason | None, by: Result | None) -> None:
    """End a result by a mark: superseded by another or by nothing, or set aside."""
    changed(result.team_id, [result.visit_id])
    Mark.objects.create(
        team_id=result.team_id,
        result=result,
        flag=flag,
        at=timezone.now(),
        by_id=reason.by.user_id if reason else None,
        why=reason.why[:300] if reason else "",
        replaced_by=by,
    )


def mark(result: Result, flags: Iterable[str], reason: Reason | None) -> None:
    """Put flags on a new result, that of the reason with its words."""
    changed(result.team_id, [result.visit_id])
    now = timezone.now()
    data = dict.fromkeys(flags, "")
    if reason:
        data[reason.flag] = reason.why[:300]
    Mark.objects.bulk_create(
        Mark(
            team_id=result.team_id,
            result=result,
            flag=flag,
            at=now,
            by_id=reason.by.user_id if reason and flag == reason.flag else None,
            why=why,
        )
        for flag, why in data.items()
        if flag not in ENDS
    )
