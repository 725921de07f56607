"""Determinations, and what they use of lots."""

import json
import uuid
from functools import lru_cache

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.db import models
from django.db.models import Q
from django.utils.functional import cached_property

from kessa.core.job.schools import complete, near_limit
from kessa.core.judging.limits import RuleSet
from kessa.core.judging.written import written_form
from kessa.core.methods.parts import Part
from kessa.core.methods.schema import Method
from kessa.record.instruments.models import Instrument
from kessa.record.kits.models import Kit, Lot
from kessa.record.people.models import TeamOwned
from kessa.record.places.models import Place
from kessa.record.rules.selectors import sets_named
from kessa.record.visits.models import Sample


class Purpose(models.TextChoices):
    """What a determination is run for."""

    SAMPLE = "sample", "a sample"
    BLANK = "blank", "a blank"
    STANDARD = "standard", "a standard"
    SPIKE = "spike", "a spiked sample"


@lru_cache(maxsize=1000)
def _read(definition: str, rules: str) -> Method:
    # The same method is begun again and again: to read it takes some ms.
    return Method.model_validate(json.loads(definition)).under(json.loads(rules))


class Determination(TeamOwned):
    """One sample by one method, as the method, the house rules and the limits were when it began."""

    # Made in the browser, so that a test can begin without a signal.
    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    # Of a blank or a standard run for itself there is no sample.
    sample = models.ForeignKey(Sample, null=True, on_delete=models.PROTECT, related_name="determinations")
    purpose = models.CharField(max_length=10, choices=Purpose.choices, default=Purpose.SAMPLE)
    # What a check is held against: see kessa.core.runs.checks.
    check_against = models.JSONField(default=dict)
    family = models.CharField(max_length=60)
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
    # Taps that arrived after closing: kept, not part of the result.
    late_taps = models.PositiveIntegerField(default=0)

    class Meta(TeamOwned.Meta):
        indexes = [
            models.Index(fields=["team", "-started_at"], condition=Q(closed_at=None), name="open_determinations"),
            models.Index(fields=["team", "method_key", "-started_at"], name="latest_by_method"),
        ]
        constraints = [
            models.CheckConstraint(condition=Q(dilution__gte=1), name="dilution_at_least_1"),
            models.CheckConstraint(
                condition=Q(sample__isnull=False) | Q(purpose__in=[Purpose.BLANK, Purpose.STANDARD]),
                name="sample_or_check",
            ),
        ]

    def __str__(self) -> str:
        return f"{self.method_key} of {self.subject}"

    @cached_property
    def method(self) -> Method:
        """The method as it was when the determination began, under the schools of then."""
        return _read(json.dumps(self.method_definition), json.dumps(self.house_rules))

    @cached_property
    def rule_sets(self) -> tuple[RuleSet, ...]:
        """The sets by which it is judged, as they were when it began."""
        return sets_named(self.team_id, self.limit_sets, self.started_at)

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
        """Whether a blank belongs to it."""
        return (
            self.purpose == Purpose.SAMPLE
            and self.method.blank is not None
            and complete(self.house_rules)["blank"] != "no"
        )

    @property
    def asks_blank(self) -> bool:
        """Whether it begins with a blank of its own: not where it goes on with a test, or one of the day serves it."""
        return self.blank_first and self.continues_id is None and self.blank_carried is None

    def written_form(self, part: Part) -> str | None:
        """The form in which results of a part are written: by the team's school and the limits, a check's its own."""
        if self.purpose != Purpose.SAMPLE:
            return part.form
        return written_form(part, complete(self.house_rules)["written_as"], self.rule_sets)

    @property
    def near_limit(self) -> str | None:
        """By which rule it is held against limits: "simple", "guarded", or None for each limit's own."""
        return near_limit(self.house_rules)


class LedMethod(TeamOwned):
    """A method as a page led it before the test began: a test taken along begins by it, whatever changed meanwhile."""

    digest = models.CharField(max_length=64)
    definition = models.JSONField()

    class Meta(TeamOwned.Meta):
        constraints = [models.UniqueConstraint(fields=["team", "digest"], name="one_led_method_a_digest")]


class LotUse(TeamOwned):
    """What a determination used of a lot; `faults` is what stood against the lot when it began."""

    determination = models.ForeignKey(Determination, on_delete=models.PROTECT, related_name="lots")
    lot = models.ForeignKey(Lot, on_delete=models.PROTECT, related_name="uses")
    units = models.FloatField(default=0.0)
    faults = ArrayField(models.CharField(max_length=30), default=list)

    class Meta(TeamOwned.Meta):
        constraints = [models.UniqueConstraint(fields=["determination", "lot"], name="one_use_of_a_lot")]
