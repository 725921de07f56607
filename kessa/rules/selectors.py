"""By which rules a team works."""

from kessa.people.models import Team
from kessa.rules.models import HouseRules


def house_rules(team: Team) -> HouseRules:
    """Return the team's house rules, the defaults where it has made no choice."""
    return HouseRules.objects.for_team(team).first() or HouseRules(team=team)
