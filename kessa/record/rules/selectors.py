"""By which rules a team works: its house rules, and the sets by which results are judged."""

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from datetime import datetime
from typing import Any

from asgiref.local import Local
from django.core.signals import request_finished, request_started
from django.db.models.signals import post_save
from django.dispatch import receiver

from kessa.core.judging.limits import RuleSet, rule_sets
from kessa.record.compiled import compiled
from kessa.record.people.models import Team
from kessa.record.rules.models import HouseRules, OwnRuleSet

OWN = "own-"
# What one request has read already, by team: many things on a page follow from the rules. Nothing between requests.
_read = Local()


@receiver(request_started)
def _begin(**_: object) -> None:
    _read.rules, _read.sets = {}, {}


@receiver(request_finished)
def _end(**_: object) -> None:
    _read.rules = _read.sets = None


@receiver(post_save, sender=HouseRules)
@receiver(post_save, sender=OwnRuleSet)
def _forget(**_: object) -> None:
    if getattr(_read, "rules", None) is not None:
        _begin()


@contextmanager
def rules_kept() -> Iterator[None]:
    """Read each team's rules once, as a request does."""
    _begin()
    try:
        yield
    finally:
        _end()


def house_rules(team: Team | int) -> HouseRules:
    """Return the team's house rules, the defaults where it has made no choice."""
    number = team.pk if isinstance(team, Team) else team
    kept = getattr(_read, "rules", None)
    if kept is None:
        return _rules_of(number)
    if number not in kept:
        kept[number] = _rules_of(number)
    found: HouseRules = kept[number]
    return found


def _rules_of(number: int) -> HouseRules:
    return next(iter(_kept(team=number)), None) or HouseRules(team_id=number)


@compiled
def _kept(team: int) -> Any:
    return HouseRules.objects.for_team(team)


def house_rules_at(team: Team | int, at: datetime) -> HouseRules:
    """Return the house rules that were in force at a moment: what was begun then, and sent later, follows them."""
    rules = house_rules(team)
    if rules.pk is None:
        return rules
    past = _kept_at(rules=rules.pk, at=at)
    return past[0].instance if past else rules


@compiled
def _kept_at(rules: int, at: datetime) -> Any:
    return HouseRules.history.filter(id=rules, history_date__lte=at).order_by("-history_date")[:1]


def is_own(key: str) -> bool:
    """Whether a set is a team's own, by its key."""
    return key.startswith(OWN)


def sets_named(team_id: int, keys: Sequence[str], at: datetime | None = None) -> tuple[RuleSet, ...]:
    """Return rule sets by their keys, a team's own as they stood at a moment (now); keys of no set are skipped."""
    own = _own_sets(team_id) if any(map(is_own, keys)) else []
    found = []
    for key in keys:
        # The first version stands for what was before it.
        versions = [each for each in own if each.key == key]
        then = [each for each in versions if at is None or (each.published_at and each.published_at <= at)] or versions[
            -1:
        ]
        found += [then[0].rule_set] if then else [rule_sets()[key]] if key in rule_sets() else []
    return tuple(found)


def known_sets(team_id: int) -> dict[str, RuleSet]:
    """Return the sets among which a team chooses, its own first; of these the newest version that is not retired."""
    newest = {each.key: each for each in reversed(_own_sets(team_id))}
    own = {key: each.rule_set for key, each in sorted(newest.items()) if each.retired_at is None}
    return own | rule_sets()


def _own_sets(team_id: int) -> list[OwnRuleSet]:
    kept = getattr(_read, "sets", None)
    if kept is None:
        return list(_published(team=team_id))
    if team_id not in kept:
        kept[team_id] = list(_published(team=team_id))
    found: list[OwnRuleSet] = kept[team_id]
    return found


@compiled
def _published(team: int) -> Any:
    return OwnRuleSet.objects.for_team(team).filter(published_at__isnull=False).order_by("key", "-version")
