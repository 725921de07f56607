"""Determinations, the event streams of their runs, and results."""

from typing import Any, Self

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.db import models
from django.db.models import Q
from django.utils.functional import cached_property

from kessa.core.job.schools import complete
from kessa.core.judging.limits import overall
from kessa.core.judging.written import written_form
from kessa.core.methods.parts import Part
from kessa.core.methods.schema import Method
from kessa.core.quantities.quantity import Quantity
from kessa.kits.models import Instrument, Kit, Lot
from kessa.people.managers import TeamManager
from kessa.people.models import TeamOwned
from kessa.places.models import Place
from kessa.visits.models import Sample, Tap


class Purpose(models.TextChoices):
    """What a determination is run for."""

    SAMPLE = "sample", "a sample"
    BLANK = "blank", "a blank"
    STANDARD = "standard", "a standard"
    SPIKE = "spike", "a spiked sample"


class Determination(TeamOwned):
    """One sample by one method, as the method, the house rules and the limits were when it began."""

    # Of a blank or a standard run for itself there is no sample.
    sample = models.ForeignKey(Sample, null=True, on_delete=models.PROTECT, related_name="determinations")
    purpose = models.CharField(max_length=10, choices=Purpose.choices, default=Purpose.SAMPLE)
    # What a check is held against: see kessa.bench.quality.
    check_against = models.JSONField(default=dict)
    method_key = models.CharField(max_length=60)
    method_version = models.PositiveIntegerField()
    method_definition = models.JSONField()
    limit_sets = ArrayField(models.CharField(max_length=40), default=list, blank=True)
    # The team's schools as they were when it began, by the keys of kessa.core.job.schools.
    house_rules = models.JSONField(default=dict)
    # A blank run in a lower range of the same sample: its count, so that it need not be run again.
    blank_carried = models.PositiveSmallIntegerField(null=True)
    dilution = models.FloatField(default=1.0)
    kit = models.ForeignKey(Kit, null=True, on_delete=models.PROTECT, related_name="+")
    # The lots in words: those of the kit, or what was read off a bottle.
    lot = models.CharField(max_length=300, blank=True)
    # Supplies for which no lot was in use when it began.
    missing_lots = ArrayField(models.CharField(max_length=60), default=list, blank=True)
    instrument = models.ForeignKey(Instrument, null=True, on_delete=models.PROTECT, related_name="+")
    # What stood against the instrument when it began.
    instrument_faults = ArrayField(models.CharField(max_length=30), default=list, blank=True)
    started_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    started_at = models.DateTimeField()
    continues = models.OneToOneField("self", null=True, on_delete=models.PROTECT, related_name="continued_by")
    supersedes = models.OneToOneField("self", null=True, on_delete=models.PROTECT, related_name="superseded_by")
    closed_at = models.DateTimeField(null=True)
    # Taps that arrived after closing: kept as events, not part of the result.
    late_taps = models.PositiveIntegerField(default=0)

    class Meta(TeamOwned.Meta):
        indexes = [
            models.Index(fields=["team", "-started_at"], condition=Q(closed_at=None), name="open_determinations")
        ]
        constraints = [
            models.CheckConstraint(condition=Q(dilution__gte=1), name="dilution_at_least_1"),
            models.CheckConstraint(
                condition=Q(sample__isnull=False) | Q(purpose__in=[Purpose.BLANK, Purpose.STANDARD]),
                name="sample_or_check",
            ),
        ]

    @cached_property
    def method(self) -> Method:
        """The method as it was when the determination began, under the schools of then."""
        return Method.model_validate(self.method_definition).under(self.house_rules)

    @property
    def place(self) -> Place | None:
        """Where its sample was drawn; None for a check."""
        return self.sample.place if self.sample and self.purpose == Purpose.SAMPLE else None

    @property
    def subject(self) -> str:
        """What it is run on, in words."""
        return str(self.place) if self.place else self.get_purpose_display()

    @property
    def blank_first(self) -> bool:
        """Whether it begins with a blank."""
        return (
            self.purpose == Purpose.SAMPLE
            and self.method.blank is not None
            and complete(self.house_rules)["blank"] == "yes"
        )

    def written_form(self, part: Part) -> str | None:
        """The form in which results of a part are written: by the team's school and the limits, a check's its own."""
        if self.purpose != Purpose.SAMPLE:
            return part.form
        return written_form(part, complete(self.house_rules)["written_as"], self.limit_sets)

    @property
    def near_limit(self) -> str | None:
        """By which rule it is held against limits: "simple", "guarded", or None for each limit's own."""
        chosen = complete(self.house_rules)["near_limit"]
        return None if chosen == "by-limit" else chosen


class LotUse(TeamOwned):
    """What a determination used of a lot; `faults` is what stood against the lot when it began."""

    determination = models.ForeignKey(Determination, on_delete=models.PROTECT, related_name="lots")
    lot = models.ForeignKey(Lot, on_delete=models.PROTECT, related_name="uses")
    units = models.FloatField(default=0.0)
    faults = ArrayField(models.CharField(max_length=30), default=list)

    class Meta(TeamOwned.Meta):
        constraints = [models.UniqueConstraint(fields=["determination", "lot"], name="one_use_of_a_lot")]


class Event(Tap):
    """One tap of a run."""

    determination = models.ForeignKey(Determination, on_delete=models.PROTECT, related_name="events")
    run = models.CharField(max_length=12)
    kind = models.CharField(max_length=20)
    data = models.JSONField(default=dict)


class QualityCheck(TeamOwned):
    """What a blank, a standard or a spike came to, and whether the method can be trusted that day."""

    determination = models.OneToOneField(Determination, on_delete=models.PROTECT, related_name="quality_check")
    family = models.CharField(max_length=60)
    kit = models.ForeignKey(Kit, null=True, on_delete=models.PROTECT, related_name="+")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
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

    class Meta(TeamOwned.Meta):
        ordering = ["-at", "-pk"]
        indexes = [models.Index(fields=["team", "family", "-at"])]


class ResultQuerySet(models.QuerySet):  # type: ignore[type-arg]
    """The words in which results are asked for."""

    def standing(self) -> Self:
        """Those that nothing has superseded."""
        return self.filter(superseded_at=None)

    def trustworthy(self) -> Self:
        """Those from which a place's usual range may be learnt."""
        return self.standing().exclude(flags__overlap=["not-agreed", "one-run", "over-range", "blank-bad"])

    def newest_first(self) -> Self:
        """In the order of the log."""
        return self.order_by("-taken_at", "-id")


class Result(TeamOwned):
    """What a determination came to: a function of the method and the readings, never edited, only superseded."""

    determination = models.ForeignKey(Determination, on_delete=models.PROTECT, related_name="results")
    place = models.ForeignKey(Place, on_delete=models.PROTECT, related_name="results")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    taken_at = models.DateTimeField()
    # Which part of the method it is: a strip has one a pad, a staged test one a stage.
    part = models.CharField(max_length=60, default="main")
    parameter = models.CharField(max_length=60)
    value = models.FloatField()
    low = models.FloatField()
    high = models.FloatField(null=True)
    censor = models.CharField(max_length=1, blank=True)
    unit = models.CharField(max_length=20)
    form = models.CharField(max_length=20, blank=True)
    verdict = models.CharField(max_length=12, blank=True)
    flags = ArrayField(models.CharField(max_length=30), default=list, blank=True)
    readings = models.JSONField()
    working = models.JSONField()
    judgements = models.JSONField()
    usual = models.JSONField(null=True)
    next_steps = models.JSONField()
    reason = models.CharField(max_length=300, blank=True)
    computed_at = models.DateTimeField(auto_now_add=True)
    superseded_at = models.DateTimeField(null=True)
    superseded_reason = models.CharField(max_length=300, blank=True)

    objects = TeamManager.from_queryset(ResultQuerySet)()

    class Meta(TeamOwned.Meta):
        # Team and time first, so that the table can be split by them without changing a query.
        indexes = [
            models.Index(fields=["team", "-taken_at", "-id"]),
            models.Index(fields=["place", "-taken_at", "-id"]),
            models.Index(fields=["place", "parameter", "-taken_at", "-id"]),
            models.Index(fields=["team", "verdict", "-taken_at", "-id"]),
            models.Index(fields=["team", "person", "-taken_at", "-id"]),
        ]
        constraints = [
            models.UniqueConstraint(
                fields=["determination", "part"], condition=Q(superseded_at=None), name="one_standing_result_a_part"
            ),
            models.CheckConstraint(condition=Q(censor__in=["", "<", ">"]), name="censor_known"),
            models.CheckConstraint(
                condition=Q(high__isnull=True) | Q(high__gte=models.F("low")), name="low_below_high"
            ),
        ]

    @property
    def quantity(self) -> Quantity:
        """The value with its interval."""
        return Quantity(self.value, self.low, self.high, self.censor or None, self.unit, self.form or None)

    @property
    def raw(self) -> str:
        """The readings as people write them, such as "8, 7 drops"."""
        return str(self.readings["words"])

    @property
    def decisive(self) -> dict[str, Any] | None:
        """The judgement that gave the verdict."""
        return overall(self.judgements)
