"""Places: where water is tested."""

from django.contrib.postgres.fields import ArrayField
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.db.models import Q

from kessa.people.models import TeamOwned


class Place(TeamOwned):
    """A point on a stream to which one can return."""

    name = models.CharField(max_length=80)
    how_to_find = models.TextField(blank=True, max_length=1000)
    latitude = models.FloatField(null=True, blank=True, validators=[MinValueValidator(-90), MaxValueValidator(90)])
    longitude = models.FloatField(null=True, blank=True, validators=[MinValueValidator(-180), MaxValueValidator(180)])
    upstream = models.ForeignKey("self", null=True, blank=True, on_delete=models.SET_NULL, related_name="downstream")
    limit_sets = ArrayField(models.CharField(max_length=40), default=list, blank=True)
    sampling_depth_cm = models.PositiveSmallIntegerField(default=20, validators=[MaxValueValidator(10000)])

    class Meta(TeamOwned.Meta):
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(
                fields=["team", "name"],
                name="one_place_a_name",
                violation_error_message="Your team has a place of this name already.",
            ),
            models.CheckConstraint(
                condition=Q(latitude__isnull=True, longitude__isnull=True)
                | Q(
                    latitude__isnull=False,
                    longitude__isnull=False,
                    latitude__range=(-90, 90),
                    longitude__range=(-180, 180),
                ),
                name="coordinates_on_this_planet",
                violation_error_message="Give both latitude and longitude, or neither.",
            ),
        ]

    def __str__(self) -> str:
        return self.name
