"""Reads about practice worth a name: what was practised, and who may do which test alone."""

from collections import defaultdict
from datetime import datetime, timedelta
from typing import Any, NamedTuple

from django.utils import timezone

from kessa.record.compiled import compiled
from kessa.record.kits.models import MOST_DAYS
from kessa.record.people.models import Membership, Team
from kessa.record.practice.models import Practised, Vouching

_LATELY = 12


class Proof(NamedTuple):
    """How a person stands with a test: practised well so often since it last counted, vouched for by whom, until when.

    `alone` is None where the team has no rule.
    """

    times: int
    last: datetime | None
    vouched: str
    alone: bool | None
    until: datetime | None

    @property
    def ran_out(self) -> bool:
        """Whether it was proven once, and is to be proven again."""
        return self.alone is False and self.until is not None


@compiled
def lately(team: int, person: int) -> Any:
    """Return what a person practised lately."""
    return Practised.objects.for_team(team).filter(person=person).select_related("remarked_by")[:_LATELY]


def lessons_passed(team_id: int, **which: int) -> dict[int, set[str]]:
    """Return the lessons that each person has passed, by key; of those only who passed some."""
    rows = Practised.objects.for_team(team_id).filter(passed=True, **which).exclude(lesson_key="").order_by()
    found: dict[int, set[str]] = defaultdict(set)
    for person, lesson in rows.values_list("person", "lesson_key").distinct():
        found[person].add(lesson)
    return found


def proofs(team: Team, person: int | None = None, family: str | None = None) -> dict[tuple[int, str], Proof]:
    """Return how people stand with tests, by person and family: only those who practised it or were vouched for."""
    which = {name: value for name, value in (("person", person), ("family", family)) if value is not None}
    passes: dict[tuple[int, str], list[datetime]] = defaultdict(list)
    rows = Practised.objects.for_team(team).filter(passed=True, **which).exclude(family="")
    for who, of, at in rows.order_by("closed_at").values_list("person", "family", "closed_at"):
        passes[who, of].append(at)
    words: dict[tuple[int, str], Vouching] = {}
    for row in Vouching.objects.for_team(team).filter(**which).select_related("by").order_by("at"):
        words[row.person_id, row.family] = row
    return {key: _proof(team, passes[key], words.get(key)) for key in passes.keys() | words.keys()}


def _proof(team: Team, passes: list[datetime], vouched: Vouching | None) -> Proof:
    lasts = timedelta(days=min(team.practised_again_days, MOST_DAYS)) if team.practised_again_days else None
    moments = [passes[-1]] if team.practised_times and len(passes) >= team.practised_times else []
    moments += [vouched.at] if vouched else []
    proven = max(moments, default=None)
    until = proven + lasts if proven and lasts else None
    alone = None
    if team.practised_times:
        alone = proven is not None and (until is None or until > timezone.now())
    return Proof(len(passes), passes[-1] if passes else None, str(vouched.by) if vouched else "", alone, until)


def wants_company(by: Membership, family: str) -> Proof | None:
    """Return how a member stands with a test that they should not do alone; None where they may, or no rule asks."""
    if not by.team.practised_times:
        return None
    found = proofs(by.team, by.user_id, family).get((by.user_id, family), Proof(0, None, "", False, None))
    return None if found.alone else found
