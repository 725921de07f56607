"""Photographs: re-encoded when they come in, and shown to the team only."""

from django.conf import settings
from django.db import models
from django.db.models import Q

from kessa.record.determinations.models import Determination
from kessa.record.people.models import TeamOwned
from kessa.record.places.models import Place
from kessa.record.visits.models import Sample, Visit


class Photograph(TeamOwned):
    """A photograph of a place, a visit, a sample or a determination."""

    place = models.ForeignKey(Place, null=True, on_delete=models.CASCADE, related_name="photographs")
    visit = models.ForeignKey(Visit, null=True, on_delete=models.CASCADE, related_name="photographs")
    sample = models.ForeignKey(Sample, null=True, on_delete=models.CASCADE, related_name="photographs")
    determination = models.ForeignKey(Determination, null=True, on_delete=models.CASCADE, related_name="photographs")
    image = models.FileField(upload_to="photographs/%Y/%m")
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    caption = models.CharField(max_length=200, blank=True)
    # From the camera where it says; all else it wrote into the file is left out.
    taken_at = models.DateTimeField(null=True)
    added_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    added_at = models.DateTimeField()
    # Given by the browser that sends it: sent twice it is one photograph.
    made_as = models.UUIDField(null=True, unique=True, editable=False)

    class Meta(TeamOwned.Meta):
        ordering = ["pk"]
        constraints = [
            models.CheckConstraint(
                condition=Q(place__isnull=False, visit__isnull=True, sample__isnull=True, determination__isnull=True)
                | Q(place__isnull=True, visit__isnull=False, sample__isnull=True, determination__isnull=True)
                | Q(place__isnull=True, visit__isnull=True, sample__isnull=False, determination__isnull=True)
                | Q(place__isnull=True, visit__isnull=True, sample__isnull=True, determination__isnull=False),
                name="a_photograph_of_one_thing",
            )
        ]
