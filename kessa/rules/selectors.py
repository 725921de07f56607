"""By which rules a team works."""

from datetime import datetime
from typing import Any

from asgiref.local import Local
from django.core.signals import request_finished, request_started
from django.db.models.signals import post_save
from django.dispatch import receiver

from kessa.people.models import Team
from kessa.rules.models import HouseRules
from kessa.web.compiled import compiled

# What one request has read already, by team: many things on a page follow from the rules. Nothing between requests.
_read = Local()


@receiver(request_started)
def _begin(**_: object) -> None:
    _read.rules = {}


@receiver(request_finished)
@receiver(post_save, sender=HouseRules)
def _forget(**_: object) -> None:
    _read.rules = None


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
