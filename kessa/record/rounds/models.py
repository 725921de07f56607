"""Rounds: which tests at which places fall due when, and how each thing due was settled."""

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.db.models import Q
from simple_history.models import HistoricalRecords

from kessa.core.methods.leading import led_at
from kessa.core.methods.schema import Method
from kessa.core.planning.packing import Planned
from kessa.core.planning.rhythm import Rhythm, is_readable
from kessa.record.methods.selectors import families_of
from kessa.record.people.models import Membership, TeamOwned
from kessa.record.places.models import Place
from kessa.record.visits.models import Visit


class Round(TeamOwned):
    """Places and tests on a rhythm, on occasions, or both. Without people it is everybody's."""

    name = models.CharField(max_length=80)
    # RFC 5545, by days; empty where it falls due on occasions only.
    rule = models.CharField(max_length=200, blank=True)
    starts_on = models.DateField()
    months = ArrayField(models.PositiveSmallIntegerField(), default=list, blank=True)
    occasions = ArrayField(models.CharField(max_length=20), default=list, blank=True)
    people = models.ManyToManyField(settings.AUTH_USER_MODEL, related_name="+", blank=True)
    retired_at = models.DateTimeField(null=True)

    history = HistoricalRecords(m2m_fields=[people])

    class Meta(TeamOwned.Meta):
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(
                fields=["team", "name"],
                name="one_round_a_name",
                violation_error_message="Your team has a round of this name already.",
            )
        ]

    def __str__(self) -> str:
        return self.name

    @property
    def rhythm(self) -> Rhythm | None:
        """When it falls due, apart from occasions; none where this release cannot read it."""
        rhythm = Rhythm(self.rule, self.starts_on, tuple(self.months)) if self.rule else None
        return rhythm if rhythm and is_readable(rhythm) else None


class Stop(TeamOwned):
    """A place on a round, with what is read there in place."""

    round = models.ForeignKey(Round, on_delete=models.CASCADE, related_name="stops")
    place = models.ForeignKey(Place, on_delete=models.PROTECT, related_name="stops")
    position = models.PositiveSmallIntegerField(default=1)
    in_place = ArrayField(models.CharField(max_length=30), default=list, blank=True)

    history = HistoricalRecords()

    class Meta(TeamOwned.Meta):
        ordering = ["position", "pk"]
        constraints = [models.UniqueConstraint(fields=["round", "place"], name="one_stop_a_place")]

    def __str__(self) -> str:
        return f"{self.place} on {self.round}"


class PlannedTest(TeamOwned):
    """A test planned at a stop."""

    stop = models.ForeignKey(Stop, on_delete=models.CASCADE, related_name="tests")
    family = models.CharField(max_length=60)
    runs = models.PositiveSmallIntegerField(default=2, validators=[MinValueValidator(1), MaxValueValidator(10)])
    blanks = models.PositiveSmallIntegerField(default=1, validators=[MaxValueValidator(5)])
    standards = models.PositiveSmallIntegerField(default=0, validators=[MaxValueValidator(5)])

    history = HistoricalRecords()

    class Meta(TeamOwned.Meta):
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint(fields=["stop", "family"], name="one_plan_a_test"),
            models.CheckConstraint(condition=Q(runs__gte=1), name="one_run_at_least"),
        ]

    @property
    def method(self) -> Method:
        """The lowest range of the test."""
        return families_of(self.team_id)[self.family][0]

    @property
    def planned(self) -> Planned:
        """The test as packing reckons with it."""
        return Planned(led_at(self.method, self.stop.place.kind), self.runs, self.blanks, self.standards)


class Occasion(TeamOwned):
    """Something that happened and makes rounds due, noted by a person; at one place, or everywhere."""

    kind = models.CharField(max_length=20)
    happened_on = models.DateField()
    place = models.ForeignKey(Place, null=True, blank=True, on_delete=models.CASCADE, related_name="+")
    noted_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    noted_at = models.DateTimeField()
    remark = models.CharField(max_length=300, blank=True)

    class Meta(TeamOwned.Meta):
        indexes = [models.Index(fields=["team", "-happened_on"])]
        constraints = [
            models.UniqueConstraint(
                fields=["team", "kind", "happened_on", "place"], nulls_distinct=False, name="one_occasion_a_day"
            )
        ]

    def __str__(self) -> str:
        return f"{self.kind} on {self.happened_on}"


class StopOutcome(TeamOwned):
    """A stop that fell due and is settled: by a visit, or by the reason why nobody goes."""

    stop = models.ForeignKey(Stop, on_delete=models.CASCADE, related_name="outcomes")
    due_on = models.DateField()
    occasion = models.ForeignKey(Occasion, null=True, on_delete=models.CASCADE, related_name="+")
    visit = models.ForeignKey(Visit, null=True, on_delete=models.CASCADE, related_name="stop_outcomes")
    reason = models.CharField(max_length=300, blank=True)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta(TeamOwned.Meta):
        indexes = [models.Index(fields=["team", "-due_on"])]
        constraints = [
            models.UniqueConstraint(fields=["stop", "due_on", "occasion"], nulls_distinct=False, name="settled_once"),
            models.CheckConstraint(condition=Q(visit__isnull=False) | ~Q(reason=""), name="settled_by_visit_or_reason"),
        ]


class KitCheck(TeamOwned):
    """A packing list as it was worked out, and what has been ticked off."""

    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField()
    title = models.CharField(max_length=200)
    places = ArrayField(models.BigIntegerField(), default=list)
    lines = models.JSONField()
    ticked = ArrayField(models.CharField(max_length=80), default=list)

    def __str__(self) -> str:
        return self.title


class CalendarFeed(TeamOwned):
    """A secret address at which a person's calendar reads what is due; only a digest of the secret is kept."""

    # Who leaves the team leaves no address behind.
    membership = models.OneToOneField(Membership, on_delete=models.CASCADE, related_name="+")
    digest = models.CharField(max_length=64, unique=True)
    made_at = models.DateTimeField()
