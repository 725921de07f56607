"""A team's own methods."""

from django.conf import settings
from django.db import models
from django.db.models import Q
from simple_history.models import HistoricalRecords

from kessa.record.people.models import TeamOwned


class OwnMethod(TeamOwned):
    """One version of a method of a team's own; a draft until it is published, never changed after."""

    key = models.CharField(max_length=60)
    version = models.PositiveIntegerField()
    # As in a method file; a draft may still lack or contradict something.
    definition = models.JSONField()
    written_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    changed_at = models.DateTimeField(auto_now=True)
    published_at = models.DateTimeField(null=True)
    retired_at = models.DateTimeField(null=True)

    history = HistoricalRecords(excluded_fields=["changed_at"])

    class Meta(TeamOwned.Meta):
        ordering = ["key", "-version"]
        constraints = [
            models.UniqueConstraint(fields=["team", "key", "version"], name="one_version_a_method"),
            models.UniqueConstraint(fields=["team", "key"], condition=Q(published_at=None), name="one_draft_a_method"),
        ]

    def __str__(self) -> str:
        return str(self.definition.get("name") or self.key)


class KitNumbers(TeamOwned):
    """What a team's kit prints on a house method instead of the house's numbers: see kessa.core.methods.kit_numbers."""

    key = models.CharField(max_length=60)
    numbers = models.JSONField()
    set_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    set_at = models.DateTimeField(auto_now=True)

    history = HistoricalRecords(excluded_fields=["set_at"])

    class Meta(TeamOwned.Meta):
        ordering = ["key"]
        constraints = [models.UniqueConstraint(fields=["team", "key"], name="one_set_of_kit_numbers")]

    def __str__(self) -> str:
        return f"our kit's numbers of {self.key}"
