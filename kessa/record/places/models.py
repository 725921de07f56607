"""Places: where water is tested."""

from typing import Any

from django.contrib.postgres.fields import ArrayField
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.db.models import Q
from simple_history.models import HistoricalRecords

from kessa.core.job.place_kinds import Fact, PlaceKind, Water, place_kind, water_of
from kessa.record.people.models import TeamOwned


class Place(TeamOwned):
    """A sampling point or a plant system to which one can return; `facts` are those its kind asks for."""

    kind_key = models.CharField(max_length=20, default="stream")
    name = models.CharField(max_length=80)
    how_to_find = models.TextField(blank=True, max_length=1000)
    access = models.TextField("access and hours", blank=True, max_length=1000)
    hazards = models.TextField(blank=True, max_length=1000)
    local_rules = models.TextField(blank=True, max_length=1000)
    elevation_m = models.FloatField(
        null=True, blank=True, validators=[MinValueValidator(-500), MaxValueValidator(9000)]
    )
    facts = models.JSONField(default=dict, blank=True)
    latitude = models.FloatField(null=True, blank=True, validators=[MinValueValidator(-90), MaxValueValidator(90)])
    longitude = models.FloatField(null=True, blank=True, validators=[MinValueValidator(-180), MaxValueValidator(180)])
    usual_way = models.CharField(max_length=20, blank=True)
    # What its water is used for or runs through: see kessa.core.job.feeds.
    feeds = ArrayField(models.CharField(max_length=20), default=list, blank=True)
    limit_sets = ArrayField(models.CharField(max_length=40), default=list, blank=True)
    # Somebody said that nothing judges its results: it was not forgotten.
    without_limits = models.BooleanField(default=False)
    sampling_depth_cm = models.PositiveSmallIntegerField(default=20, validators=[MaxValueValidator(10000)])

    history = HistoricalRecords()

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

    @property
    def kind(self) -> PlaceKind:
        """What kind of place it is."""
        return place_kind(self.kind_key)

    @property
    def water(self) -> Water:
        """As what its water is looked at: what people drink is drinking water, wherever it stands."""
        return water_of(self.kind_key, self.feeds)

    @property
    def known_facts(self) -> list[tuple[Fact, Any]]:
        """The facts of its kind that are known, in the kind's order."""
        return [
            (fact, self.facts[fact.name]) for fact in self.kind.facts if self.facts.get(fact.name) not in (None, "")
        ]


class PairKind(models.TextChoices):
    """What two places are to one another; the first is what the second is compared with."""

    STREAM = "stream", "upstream and downstream"
    DAM = "dam", "pool and foot of a dam"
    SUPPLY = "supply", "supply and system"
    TREATMENT = "treatment", "before and after"
    TAP = "tap", "supply and one of its taps"
    CONDENSATE = "condensate", "condensate and its boiler"
    FEED = "feed", "feed water and its boiler"

    @property
    def ends(self) -> tuple[str, str]:
        """What the first and the second place are called."""
        return _ENDS[self]


_ENDS = {
    PairKind.STREAM: ("upstream", "downstream"),
    PairKind.DAM: ("pool", "foot of the dam"),
    PairKind.SUPPLY: ("supply", "system"),
    PairKind.TREATMENT: ("before", "after"),
    PairKind.TAP: ("supply of the tap", "tap"),
    PairKind.CONDENSATE: ("condensate", "boiler it comes back to"),
    PairKind.FEED: ("feed water", "boiler that it feeds"),
}


class Pair(TeamOwned):
    """Two places whose results are compared."""

    kind = models.CharField(max_length=10, choices=PairKind.choices)
    first = models.ForeignKey(Place, on_delete=models.CASCADE, related_name="pairs_as_first")
    second = models.ForeignKey(Place, on_delete=models.CASCADE, related_name="pairs_as_second")

    class Meta(TeamOwned.Meta):
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint(fields=["first", "second"], name="one_pair_of_two_places"),
            models.CheckConstraint(condition=~Q(first=models.F("second")), name="a_pair_is_of_two_places"),
        ]

    def __str__(self) -> str:
        return f"{self.first}, {self.second}"

    @property
    def ends(self) -> tuple[str, str]:
        """What the first and the second place are called."""
        return PairKind(self.kind).ends
