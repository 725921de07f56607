"""Everything that changes the rules."""

from kessa.people.models import Team
from kessa.rules.models import HouseRules


def choose_house_rules(team: Team, *, blank_first: bool) -> HouseRules:
    """Choose how the team works from now on; determinations that have begun keep the rules they began with."""
    return HouseRules.across_teams.update_or_create(team=team, defaults={"blank_first": blank_first})[0]
