"""Reads about the bench worth a name."""

from kessa.bench.models import Determination
from kessa.people.models import Team


def open_determinations(team: Team) -> list[Determination]:
    """Return what was begun and not closed, newest first."""
    return list(
        Determination.objects.for_team(team)
        .filter(closed_at=None)
        .select_related("sample__visit__place", "started_by")
        .order_by("-started_at")[:20]
    )
