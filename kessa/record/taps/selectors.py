"""Reads of taps."""

import uuid
from typing import Any

from kessa.record.compiled import compiled
from kessa.record.people.models import Team
from kessa.record.taps.models import Tap


def counted(team: Team | int, stream: uuid.UUID) -> list[Tap]:
    """Return the taps of a stream that count, in order: those that came after closing are left out."""
    return _counted(team=team.pk if isinstance(team, Team) else team, stream=stream)


@compiled
def _counted(team: int, stream: uuid.UUID) -> Any:
    return Tap.objects.for_team(team).filter(stream=stream, late=False).order_by("seq", "at", "id")


def as_sent(taps: list[Tap]) -> list[dict[str, Any]]:
    """Return taps as the browser knows them."""
    return [tap.as_sent() for tap in taps]


def next_seq(stream: uuid.UUID) -> int:
    """Return the sequence number of a tap that comes after every tap of a stream."""
    last = Tap.across_teams.filter(stream=stream).order_by("-seq").values_list("seq", flat=True).first()
    return (last or 0) + 1


def is_taken(model: Any, number: Any, but_by: int | None = None) -> bool:
    """Whether any team but one has a row by a number that was made elsewhere."""
    return bool(model.across_teams.filter(pk=number).exclude(team=but_by).exists())


def count_for(stream: uuid.UUID, user_id: int) -> int:
    """Return how many taps of a stream count that a person's teams may see, in one statement."""
    rows = Tap.across_teams.filter(stream=stream, late=False, team__memberships__user=user_id)
    return int(rows.count())
