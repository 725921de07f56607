"""A team's choices among the schools of the job."""

from django.db import models
from simple_history.models import HistoricalRecords

from kessa.core.job.schools import complete
from kessa.people.models import TeamOwned


class HouseRules(TeamOwned):
    """How a team works: one row a team."""

    # By the keys of kessa.core.job.schools; what is not there is the default.
    schools = models.JSONField(default=dict, blank=True)
    ice_rule = models.TextField(blank=True, max_length=1000)
    flood_rule = models.TextField(blank=True, max_length=1000)
    never_alone = models.BooleanField("nobody goes alone", default=False)

    history = HistoricalRecords()

    class Meta(TeamOwned.Meta):
        constraints = [models.UniqueConstraint(fields=["team"], name="one_set_of_house_rules_a_team")]

    def __str__(self) -> str:
        return "house rules"

    @property
    def chosen(self) -> dict[str, str]:
        """The school the team follows on every question."""
        return complete(self.schools)
