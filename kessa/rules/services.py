"""Everything that changes the rules."""

from collections.abc import Mapping

from kessa.core.job.schools import complete
from kessa.people.models import Team
from kessa.rules.models import HouseRules


def choose_house_rules(
    team: Team, schools: Mapping[str, str], *, ice_rule: str = "", flood_rule: str = ""
) -> HouseRules:
    """Choose how the team works from now on; determinations that have begun keep the rules they began with."""
    chosen = {"schools": complete(schools), "ice_rule": ice_rule, "flood_rule": flood_rule}
    return HouseRules.across_teams.update_or_create(team=team, defaults=chosen)[0]
