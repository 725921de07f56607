"""A team's choices among the schools of the job."""

from django.conf import settings
from django.db import models
from django.db.models import Q
from simple_history.models import HistoricalRecords

from kessa.core.job.schools import complete
from kessa.core.judging.limits import RuleSet
from kessa.record.people.models import TeamOwned


class HouseRules(TeamOwned):
    """How a team works: one row a team."""

    # By the keys of kessa.core.job.schools; what is not there is the default.
    schools = models.JSONField(default=dict, blank=True)
    ice_rule = models.TextField(blank=True, max_length=1000)
    flood_rule = models.TextField(blank=True, max_length=1000)
    never_alone = models.BooleanField("nobody goes alone", default=False)
    # The team's own words for verdicts, towards who is not of the job; by verdict.
    public_words = models.JSONField(default=dict, blank=True)

    history = HistoricalRecords()

    class Meta(TeamOwned.Meta):
        constraints = [models.UniqueConstraint(fields=["team"], name="one_set_of_house_rules_a_team")]

    def __str__(self) -> str:
        return "house rules"

    def said_to_the_public(self, verdict: str) -> str:
        """The team's own word for a verdict, the verdict itself where it has none."""
        return str(self.public_words.get(verdict) or verdict)

    @property
    def chosen(self) -> dict[str, str]:
        """The school the team follows on every question."""
        return complete(self.schools)


class OwnRuleSet(TeamOwned):
    """One version of a rule set of a team's own; a draft until it is published, never changed after."""

    key = models.CharField(max_length=60)
    version = models.PositiveIntegerField()
    # As in a file of a rule set; a draft may still lack something.
    definition = models.JSONField()
    # Why this version was made: said when it is published.
    why = models.CharField(max_length=300, blank=True)
    written_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    changed_at = models.DateTimeField(auto_now=True)
    published_at = models.DateTimeField(null=True)
    retired_at = models.DateTimeField(null=True)

    class Meta(TeamOwned.Meta):
        ordering = ["key", "-version"]
        constraints = [
            models.UniqueConstraint(fields=["team", "key", "version"], name="one_version_a_rule_set"),
            models.UniqueConstraint(
                fields=["team", "key"], condition=Q(published_at=None), name="one_draft_a_rule_set"
            ),
        ]

    def __str__(self) -> str:
        return str(self.definition.get("title") or self.key)

    @property
    def rule_set(self) -> RuleSet:
        """The set itself; only a published one is sure to be whole."""
        return RuleSet.model_validate(self.definition)
