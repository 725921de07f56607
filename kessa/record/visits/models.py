"""Visits to places, and the samples drawn there."""

import uuid
from datetime import datetime, time, timedelta

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.db import models
from django.db.models import Q
from django.utils import timezone
from simple_history.models import HistoricalRecords

from kessa.record.instruments.models import Instrument
from kessa.record.people.models import TeamOwned
from kessa.record.places.models import Place


class Review(models.TextChoices):
    """How far a second person has looked over a visit as a whole."""

    NEW = "new", "not reviewed yet"
    ASKED = "asked", "asked back"
    REVIEWED = "reviewed", "reviewed"
    RELEASED = "released", "released"


# Who drew or tested what was taken over from another record.
NOT_KNOWN = "a person not known here"
# In which a second person has accepted it.
SETTLED = (Review.REVIEWED, Review.RELEASED)


class Visit(TeamOwned):
    """One stop at a place. Without a leader it is only the time around a sample that was noted by itself."""

    # Made in the browser, so that a visit can begin without a signal.
    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    place = models.ForeignKey(Place, on_delete=models.PROTECT, related_name="visits")
    started_at = models.DateTimeField()
    # Of what was imported only the day may be known: noon is kept then, and not shown.
    time_known = models.BooleanField(default=True, db_default=True)
    people = models.ManyToManyField(settings.AUTH_USER_MODEL, related_name="+")
    # Who has it in hand now.
    leader = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+")
    # What was confirmed before going: company, who is told, back by when, ice or flood, and by whom.
    safety = models.JSONField(default=dict)
    note = models.TextField(blank=True, max_length=1000)
    paused_at = models.DateTimeField(null=True)
    closed_at = models.DateTimeField(null=True)
    closed_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+")
    closing_remark = models.TextField(blank=True, max_length=1000)
    left_out = models.JSONField(default=list)
    # How far it is reviewed; what was said of it before `changed_at` was said of other numbers.
    review = models.CharField(max_length=8, choices=Review.choices, default=Review.NEW)
    changed_at = models.DateTimeField(null=True)
    # Of what was imported from a file: by which number that goes, and by whom. See kessa.record.imports.
    taken_in = models.UUIDField(null=True, editable=False)
    imported_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+")

    class Meta(TeamOwned.Meta):
        indexes = [
            models.Index(fields=["team", "review", "-started_at"]),
            models.Index(fields=["taken_in"], condition=Q(taken_in__isnull=False), name="visits_taken_in"),
            models.Index(fields=["team", "leader", "-started_at"], name="visits_led_by"),
            models.Index(fields=["place", "-started_at"]),
            models.Index(
                fields=["team", "-started_at"], condition=Q(closed_at=None, leader__isnull=False), name="open_visits"
            ),
        ]

    def __str__(self) -> str:
        return f"visit to {self.place}"

    @property
    def should_be_heard_by(self) -> datetime | None:
        """When those who were told should have heard back; before the start means the next day."""
        try:
            back_by = time.fromisoformat(self.safety.get("back_by", ""))
        except ValueError:
            return None
        begun = timezone.localtime(self.started_at)
        heard = timezone.make_aware(datetime.combine(begun.date(), back_by))
        return heard if heard >= begun else timezone.make_aware(datetime.combine(begun + timedelta(days=1), back_by))

    @property
    def is_unheard_of(self) -> bool:
        """Whether it is still open past the time by which somebody should have heard."""
        by = self.should_be_heard_by
        return self.is_open and by is not None and timezone.now() > by

    @property
    def is_open(self) -> bool:
        """Whether it was begun and not closed."""
        return self.leader_id is not None and self.closed_at is None


class TwoVisits(TeamOwned):
    """Two visits to one place at one time, as two phones without a signal begin them: whether they are one, by whom."""

    first = models.ForeignKey(Visit, on_delete=models.PROTECT, related_name="+")
    second = models.ForeignKey(Visit, on_delete=models.PROTECT, related_name="+")
    joined = models.BooleanField()
    why = models.CharField(max_length=300, blank=True)
    said_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    said_at = models.DateTimeField()

    class Meta(TeamOwned.Meta):
        constraints = [models.UniqueConstraint(fields=["first", "second"], name="said_once_of_two_visits")]

    def __str__(self) -> str:
        return f"two visits to {self.first.place}"


class Handover(TeamOwned):
    """A visit handed to another person."""

    visit = models.ForeignKey(Visit, on_delete=models.PROTECT, related_name="handovers")
    giver = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    taker = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    remark = models.CharField(max_length=300, blank=True)


class TakenOver(TeamOwned):
    """A handed visit that went on on another person's phone: what was tapped there in the taker's name is theirs."""

    handover = models.ForeignKey(Handover, on_delete=models.PROTECT, related_name="taken_over")
    phone_of = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    # Which of that person's phones it is, and from when by its own clock.
    device = models.CharField(max_length=40)
    since = models.DateTimeField()
    # The last of it, where the taker, signed in, said what was theirs.
    until = models.DateTimeField(null=True)


class Observation(TeamOwned):
    """What counts of a circumstance or in-place reading of a visit: the last tap of its scale. The taps are kept."""

    visit = models.ForeignKey(Visit, on_delete=models.PROTECT, related_name="observations")
    key = models.CharField(max_length=30)
    # A number in the scale's unit, the place of a word on its scale, or None where it was taken back.
    value = models.FloatField(null=True)
    # As the instrument showed it, where that was in another unit.
    display = models.FloatField(null=True)
    display_unit = models.CharField(max_length=20, blank=True)
    instrument = models.ForeignKey(Instrument, null=True, on_delete=models.PROTECT, related_name="+")
    flags = ArrayField(models.CharField(max_length=30), default=list)
    # Whose it is, when it was made, and in which order it counts: those of its tap.
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    sent_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    seq = models.PositiveIntegerField()
    corrected = models.BooleanField(default=False)

    class Meta(TeamOwned.Meta):
        constraints = [models.UniqueConstraint(fields=["visit", "key"], name="one_observation_a_scale")]
        indexes = [models.Index(fields=["instrument", "at"], condition=Q(instrument__isnull=False), name="read_by")]

    def __str__(self) -> str:
        return f"{self.key} of the {self.visit}"


class Sample(TeamOwned):
    """Water drawn at a visit, on which tests are run."""

    # Made in the browser: a page sent twice notes one sample.
    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    visit = models.ForeignKey(Visit, on_delete=models.PROTECT, related_name="samples")
    number = models.PositiveIntegerField()
    way = models.CharField(max_length=20, blank=True)
    drawn_at = models.DateTimeField()
    time_known = models.BooleanField(default=True, db_default=True)
    # None where nobody here knows: see NOT_KNOWN.
    drawn_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+")
    depth_cm = models.DecimalField(max_digits=6, decimal_places=1, null=True, blank=True)
    water_temperature_c = models.DecimalField(max_digits=4, decimal_places=1, null=True, blank=True)

    history = HistoricalRecords()

    class Meta(TeamOwned.Meta):
        indexes = [models.Index(fields=["team", "-drawn_at"])]
        constraints = [
            models.UniqueConstraint(fields=["team", "number"], name="one_sample_a_number"),
            models.CheckConstraint(condition=Q(depth_cm__isnull=True) | Q(depth_cm__gte=0), name="depth_not_negative"),
        ]

    def __str__(self) -> str:
        return f"sample {self.number}"

    def testable_until(self, keeps_hours: float | None) -> datetime | None:
        """When it is too old for a test that keeps so long; None where it never is."""
        return self.drawn_at + timedelta(hours=keeps_hours) if keeps_hours else None

    def too_old_at(self, moment: datetime, keeps_hours: float | None) -> bool:
        """Whether it is too old at a moment for a test that keeps so long."""
        until = self.testable_until(keeps_hours)
        return until is not None and moment > until

    @property
    def drawn_by_name(self) -> str:
        """Who drew it; of past results nobody here knows."""
        return str(self.drawn_by) if self.drawn_by_id else NOT_KNOWN

    @property
    def place(self) -> Place:
        """Where it was drawn."""
        return self.visit.place


class Bottle(TeamOwned):
    """A bottle labelled before it is filled: its number is kept for the sample it will hold."""

    number = models.PositiveIntegerField()
    code = models.CharField(max_length=24, unique=True)
    place = models.ForeignKey(Place, on_delete=models.PROTECT, related_name="+")
    printed_at = models.DateTimeField()
    sample = models.OneToOneField(Sample, null=True, on_delete=models.PROTECT, related_name="bottle")

    class Meta(TeamOwned.Meta):
        constraints = [models.UniqueConstraint(fields=["team", "number"], name="one_bottle_a_number")]

    def __str__(self) -> str:
        return f"number {self.number}"
