"""Everything that happens on the practice bench."""

import secrets
import uuid
from typing import Any

from django.core.exceptions import ValidationError
from django.utils import timezone

from kessa.core.judging.judge import Bounds, Interval, judge
from kessa.core.methods.leading import led_at
from kessa.core.methods.schema import Method
from kessa.core.practice.lessons import Lesson
from kessa.core.practice.orders import order_of
from kessa.core.practice.scoring import Point, scored
from kessa.core.practice.scoring import Practised as Done
from kessa.core.practice.world import for_practice, made
from kessa.record.determinations.state import Bench, flags_of
from kessa.record.people.acts import act
from kessa.record.people.models import Membership, Team, User
from kessa.record.practice import may
from kessa.record.practice.models import Practised, Vouching
from kessa.record.rules.selectors import house_rules

# What may be wrong with a water nobody chose: mostly nothing is.
_TRAITS = ("", "", "", "expired", "cloudy", "iron", "dirty")
_MOST_SEEDS = 2**31


@act("practice begun", may.practise)
def begin(by: Membership, method: Method | None, lesson: Lesson | None = None) -> Practised:
    """Begin a go at a lesson, or at a method on water made up for it; nothing of it reaches the log."""
    seed = secrets.randbelow(_MOST_SEEDS)
    held: dict[str, Any] = {}
    if method:
        # Of made-up water nothing is asked that one could not see.
        quick = for_practice(led_at(method, None))
        trait = lesson.trait if lesson else secrets.choice(_TRAITS)
        world = made(quick, seed, trait, lesson.reach if lesson else (0.25, 0.8))
        held = {"family": method.family, "method_definition": quick.snapshot(), "world_made": world.snapshot()}
    go = Practised(
        team_id=by.team_id,
        person=by.user,
        lesson_key=lesson.key if lesson else "",
        house_rules=house_rules(by.team_id).chosen if method else {},
        started_at=timezone.now(),
        **held,
    )
    go.save(force_insert=True)
    return go


@act("practice looked over", may.go_on)
def say(by: Membership, go: Practised, looked: str, first: str = "") -> Practised:
    """Keep what was seen before the test, and what is to go in first: in that order the bench leads it."""
    go.said |= {"looked": looked}
    if first:
        go.said |= {"first": first}
    order = order_of(Method.model_validate(go.method_definition))
    if order and first == "then":
        go.method_definition = order.swapped.snapshot()
        go.world_made |= {"left": order.left}
    go.save(update_fields=["said", "method_definition", "world_made"])
    return go


@act("practice judged", may.go_on)
def judge_own(by: Membership, go: Practised, bench: Bench, judged: str) -> Practised:
    """Keep the verdict that was given, and score the go with it."""
    go.said |= {"judged": judged}
    go.save(update_fields=["said"])
    return end(go, bench)


@act("practice ended", may.go_on)
def answer(by: Membership, go: Practised, points: list[Point]) -> Practised:
    """End a lesson without a test, by what was right of its answers."""
    return _ended(go, points)


def end(go: Practised, bench: Bench) -> Practised:
    """End a practised test by what its taps and what was said besides tell."""
    determination = go.determination
    flags = [flag for part in go.method.parts for flag in flags_of(determination, part, bench)]
    done = Done(
        bench.samples,
        bench.firsts,
        bench.blanks,
        bench.outcomes,
        flags,
        go.said.get("looked"),
        go.said.get("first"),
        go.said.get("judged"),
        verdict_of(go, bench),
    )
    waits = done.verdict is not None and done.judged is None
    return _ended(go, scored(go.method, go.world, done, asks_blank=determination.asks_blank), waits=waits)


def _ended(go: Practised, points: list[Point], *, waits: bool = False) -> Practised:
    go.points = [point._asdict() for point in points]
    go.passed = bool(points) and all(point.right for point in points) and not waits
    go.closed_at = go.closed_at or timezone.now()
    go.save(update_fields=["points", "passed", "closed_at"])
    return go


def verdict_of(go: Practised, bench: Bench) -> str | None:
    """Return what follows from the number that was found by the lesson's limit; None without a number or a limit."""
    limit, found = go.lesson and go.lesson.limit, bench.outcomes[go.method.main.key].quantity
    if not limit or found is None:
        return None
    interval = Interval(found.value, found.low, found.high, found.censor)
    return judge(interval, Bounds(limit.min, limit.max), "guarded")[0]


@act("word said on practice", may.remark)
def remark(by: Membership, go: Practised, words: str) -> Practised:
    """Keep a coordinator's words on how somebody practised; the last that were said stand."""
    go.remark, go.remarked_by = words, by.user if words else None
    go.save(update_fields=["remark", "remarked_by"])
    return go


@act("vouched for", may.vouch)
def sign_off(by: Membership, person: User, family: str, words: str = "") -> Vouching:
    """Let somebody do a test alone, on one's own word; raises ValidationError for who is no member."""
    if not by.team.memberships.filter(user=person).exists():
        raise ValidationError("Only members of your team can be vouched for.")
    row = Vouching(team_id=by.team_id, person=person, family=family, by=by.user, at=timezone.now(), words=words)
    row.save()
    return row


@act("rule of practice kept", may.keep_rules)
def keep_rules(by: Membership, team: Team) -> Team:
    """Keep how often a test is practised before it is done alone, and after how long again."""
    team.save(update_fields=["practised_times", "practised_again_days"])
    return team


def held(team_id: int, number: uuid.UUID) -> Practised | None:
    """Return a go with its row locked; None where the team has none of this number."""
    rows = Practised.objects.for_team(team_id).select_for_update().filter(pk=number)
    found: Practised | None = rows.exclude(family="").first()
    return found
