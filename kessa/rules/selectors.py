"""By which rules a team works."""

from datetime import datetime

from kessa.people.models import Team
from kessa.rules.models import HouseRules


def house_rules(team: Team | int) -> HouseRules:
    """Return the team's house rules, the defaults where it has made no choice."""
    number = team.pk if isinstance(team, Team) else team
    return HouseRules.objects.for_team(number).first() or HouseRules(team_id=number)


def house_rules_at(team: Team | int, at: datetime) -> HouseRules:
    """Return the house rules that were in force at a moment: what was begun then, and sent later, follows them."""
    rules = house_rules(team)
    if rules.pk is None:
        return rules
    past = rules.history.filter(history_date__lte=at).order_by("-history_date").first()
    return past.instance if past else rules
