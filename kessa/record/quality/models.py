"""Checks of methods, and how well a team's own standards come out."""

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.db import models
from django.db.models import Q

from kessa.record.determinations.models import Determination
from kessa.record.kits.models import Kit
from kessa.record.people.models import TeamOwned


class QualityCheck(TeamOwned):
    """What a blank, a standard or a spike came to, and whether the method can be trusted by it."""

    determination = models.OneToOneField(Determination, on_delete=models.PROTECT, related_name="quality_check")
    family = models.CharField(max_length=60)
    kit = models.ForeignKey(Kit, null=True, on_delete=models.PROTECT, related_name="+")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    # Whose session sent it, where that was another.
    sent_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    # In the method's own unit and form; the blank's is what it showed.
    found = models.FloatField()
    expected = models.FloatField()
    unit = models.CharField(max_length=20)
    form = models.CharField(max_length=20, blank=True)
    # Of a standard and a spike: what part of it was found.
    percent = models.FloatField(null=True)
    good = models.BooleanField()
    working = models.JSONField()
    # The rules that it breaks on its control chart: see kessa.core.judging.control.
    breaks = ArrayField(models.CharField(max_length=20), default=list)
    # A check that was none after all says nothing any more.
    withdrawn_at = models.DateTimeField(null=True)
    withdrawn_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+")
    withdrawn_why = models.CharField(max_length=300, blank=True)

    class Meta(TeamOwned.Meta):
        # Its table keeps the name that it had.
        app_label = "log"
        ordering = ["-at", "-pk"]
        indexes = [models.Index(fields=["team", "family", "-at"])]

    def __str__(self) -> str:
        return f"{self.determination.get_purpose_display()} by {self.family}"


class OwnSpread(TeamOwned):
    """To what percent a team's results of a family are good by its own standards, where a coordinator goes by it."""

    family = models.CharField(max_length=60)
    percent = models.FloatField()
    # On how many standards it rests.
    number = models.PositiveIntegerField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True)

    class Meta(TeamOwned.Meta):
        app_label = "log"
        constraints = [
            models.UniqueConstraint(fields=["team", "family"], condition=Q(ended_at=None), name="one_spread_a_family")
        ]

    def __str__(self) -> str:
        return f"{self.family}: {self.percent:g} %"
