"""A team's choices among the schools of the job."""

from django.db import models

from kessa.people.models import TeamOwned


class HouseRules(TeamOwned):
    """How a team works: one row a team."""

    blank_first = models.BooleanField(default=True)

    class Meta(TeamOwned.Meta):
        constraints = [models.UniqueConstraint(fields=["team"], name="one_set_of_house_rules_a_team")]
