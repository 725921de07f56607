"""Visits to places, and the samples drawn there."""

from django.conf import settings
from django.db import models
from django.db.models import Q

from kessa.people.models import TeamOwned
from kessa.places.models import Place


class Visit(TeamOwned):
    """One stop at a place."""

    place = models.ForeignKey(Place, on_delete=models.PROTECT, related_name="visits")
    started_at = models.DateTimeField()
    people = models.ManyToManyField(settings.AUTH_USER_MODEL, related_name="+")

    class Meta(TeamOwned.Meta):
        indexes = [models.Index(fields=["place", "-started_at"])]


class Sample(TeamOwned):
    """Water drawn at a visit, on which tests are run."""

    visit = models.ForeignKey(Visit, on_delete=models.PROTECT, related_name="samples")
    drawn_at = models.DateTimeField()
    drawn_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    depth_cm = models.DecimalField(max_digits=6, decimal_places=1, null=True, blank=True)
    water_temperature_c = models.DecimalField(max_digits=4, decimal_places=1, null=True, blank=True)

    class Meta(TeamOwned.Meta):
        indexes = [models.Index(fields=["team", "-drawn_at"])]
        constraints = [
            models.CheckConstraint(condition=Q(depth_cm__isnull=True) | Q(depth_cm__gte=0), name="depth_not_negative")
        ]

    @property
    def place(self) -> Place:
        """Where it was drawn."""
        return self.visit.place
