"""Everything that changes the rules."""

from collections.abc import Mapping

from kessa.core.job.schools import complete
from kessa.people.acts import act
from kessa.people.models import Membership
from kessa.rules import may
from kessa.rules.models import HouseRules


@act("house rules chosen", may.choose_house_rules)
def choose_house_rules(
    by: Membership,
    rules: HouseRules,
    schools: Mapping[str, str],
    *,
    ice_rule: str = "",
    flood_rule: str = "",
    never_alone: bool = False,
) -> HouseRules:
    """Choose how the team works from now on; determinations that have begun keep the rules they began with."""
    chosen = {"schools": complete(schools), "ice_rule": ice_rule, "flood_rule": flood_rule, "never_alone": never_alone}
    kept, _ = HouseRules.objects.for_team(by.team_id).update_or_create(team_id=by.team_id, defaults=chosen)
    return kept
