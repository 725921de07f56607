"""Scales learnt from a kit's own card, and what a machine proposed beside what an eye took."""

from django.conf import settings
from django.db import models

from kessa.core.colours.lab import Lab
from kessa.core.colours.match import Step
from kessa.record.determinations.models import Determination
from kessa.record.people.models import TeamOwned
from kessa.record.photographs.models import Photograph


class Scale(TeamOwned):
    """The colours of a kit's own steps for a part of a family of tests, learnt once from a photograph of its card.

    `colours` are Lab, step by step; empty until they are learnt.
    """

    family = models.CharField(max_length=60)
    part_key = models.CharField(max_length=60)
    steps = models.JSONField(default=list)
    colours = models.JSONField(default=list)
    image = models.FileField(upload_to="scales/%Y/%m")
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    learnt_at = models.DateTimeField(null=True)

    class Meta(TeamOwned.Meta):
        indexes = [models.Index(fields=["team", "family", "part_key", "-learnt_at"], name="scale_of_a_part")]

    def __str__(self) -> str:
        return f"{self.family}, {self.part_key}"

    @property
    def chart(self) -> list[Step]:
        """Its steps with their colours, as a pad is matched to them."""
        return [Step(value, Lab(*colour)) for value, colour in zip(self.steps, self.colours, strict=False)]


class Proposed(TeamOwned):
    """What a machine read of a part in a run, and what the eye took for it. Neither is ever changed."""

    determination = models.ForeignKey(Determination, on_delete=models.CASCADE, related_name="proposed")
    run = models.CharField(max_length=20)
    part_key = models.CharField(max_length=60)
    parameter = models.CharField(max_length=60)
    photograph = models.ForeignKey(Photograph, null=True, on_delete=models.SET_NULL, related_name="+")
    # What was proposed: value, low, high, distance, colour, and why it was refused or not sure.
    proposal = models.JSONField(default=dict)
    taken = models.JSONField(default=dict)
    # How many steps of the card the eye lies above the machine; none where one of them says no number.
    apart = models.FloatField(null=True)
    at = models.DateTimeField()
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")

    class Meta(TeamOwned.Meta):
        indexes = [models.Index(fields=["team", "parameter"], name="proposed_of")]

    def __str__(self) -> str:
        return f"{self.parameter}, {self.run}"
