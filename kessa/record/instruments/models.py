"""Instruments, and their checks against standards."""

from math import floor, log10

from django.conf import settings
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.db.models import Q
from simple_history.models import HistoricalRecords

from kessa.record.kits.models import MOST_DAYS, Kit
from kessa.record.people.models import TeamOwned


class Instrument(TeamOwned):
    """A meter, thermometer or other instrument, checked against standards."""

    kit = models.ForeignKey(Kit, null=True, blank=True, on_delete=models.SET_NULL, related_name="instruments")
    name = models.CharField(max_length=80)
    serial = models.CharField("serial number", max_length=60, blank=True)
    # The in-place reading it takes, by its key among the circumstances.
    measures = models.CharField(max_length=30)
    unit = models.CharField(max_length=20)
    resolution = models.FloatField()
    check_every_days = models.PositiveIntegerField(
        "checked every so many days",
        null=True,
        blank=True,
        validators=[MinValueValidator(1), MaxValueValidator(MOST_DAYS)],
    )
    calibration_due = models.DateField(null=True, blank=True)
    calibrate_every_days = models.PositiveIntegerField(
        "calibrated every so many days",
        null=True,
        blank=True,
        validators=[MinValueValidator(1), MaxValueValidator(MOST_DAYS)],
    )
    # How many tests were begun with it since it was calibrated.
    used_since = models.PositiveIntegerField(default=0, editable=False)
    calibrate_every_uses = models.PositiveIntegerField(
        "and every so many tests", null=True, blank=True, validators=[MinValueValidator(1)]
    )

    history = HistoricalRecords()

    class Meta(TeamOwned.Meta):
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(
                fields=["team", "name"],
                name="one_instrument_a_name",
                violation_error_message="Your team has an instrument of this name already.",
            ),
            models.CheckConstraint(condition=Q(resolution__gt=0), name="resolution_above_0"),
        ]

    def __str__(self) -> str:
        return self.name

    @property
    def decimals(self) -> int:
        """How many decimal places it shows."""
        return max(0, -floor(log10(self.resolution)))


class ReceivedReading(TeamOwned):
    """What an instrument showed, as it sent it or remembered it: offered on the bench, and named by what it became."""

    instrument = models.ForeignKey(Instrument, on_delete=models.PROTECT, related_name="readings")
    at = models.DateTimeField()
    display = models.FloatField(null=True)
    unit = models.CharField(max_length=20)
    temperature_c = models.FloatField(null=True)
    over = models.BooleanField(default=False)
    # What the instrument itself says it measured.
    what = models.CharField(max_length=60, blank=True)
    # By which way it came in, in words.
    came_by = models.CharField(max_length=80)
    came_at = models.DateTimeField(auto_now_add=True)
    # Named by a reading of a test: it stays.
    taken_over = models.BooleanField(default=False)

    class Meta(TeamOwned.Meta):
        ordering = ["-at"]
        indexes = [models.Index(fields=["team", "-at"], name="shown_lately")]
        constraints = [
            # Sent twice, it is one reading.
            models.UniqueConstraint(fields=["instrument", "at", "display"], nulls_distinct=False, name="shown_once"),
            models.CheckConstraint(condition=Q(display__isnull=False) | Q(over=True), name="shows_something"),
        ]

    def __str__(self) -> str:
        return f"over {self.unit}" if self.over else f"{self.display} {self.unit}"


class Calibration(TeamOwned):
    """A calibration: what was shown of which standards, and the figures that came of it, as they were that day."""

    instrument = models.ForeignKey(Instrument, on_delete=models.PROTECT, related_name="calibrations")
    kind = models.CharField(max_length=20)
    at = models.DateTimeField()
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    # As the form of its kind gives them, the lots of standards and buffers among them.
    given = models.JSONField()
    # As kessa.core.calibrating gives them: name, value, unit, low, high.
    figures = models.JSONField()
    words = models.JSONField(default=list)
    passed = models.BooleanField()

    class Meta(TeamOwned.Meta):
        ordering = ["-at", "-pk"]
        indexes = [models.Index(fields=["instrument", "-at"], name="calibrated_lately")]

    def __str__(self) -> str:
        return f"{self.instrument}, calibrated {self.at:%Y-%m-%d}"


class InstrumentCheck(TeamOwned):
    """A reading of a standard: passed where it is within `allowed` of what is expected."""

    instrument = models.ForeignKey(Instrument, on_delete=models.PROTECT, related_name="checks")
    at = models.DateTimeField()
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    standard = models.CharField(max_length=120)
    reading = models.FloatField()
    expected = models.FloatField()
    allowed = models.FloatField()
    # A check that was none after all says nothing any more.
    withdrawn_at = models.DateTimeField(null=True)
    withdrawn_why = models.CharField(max_length=300, blank=True)
    # Of a calibration kept as a check by its first figure that decides: which.
    calibration = models.OneToOneField(Calibration, null=True, on_delete=models.PROTECT, related_name="check_kept")

    class Meta(TeamOwned.Meta):
        indexes = [models.Index(fields=["instrument", "-at"])]
        constraints = [models.CheckConstraint(condition=Q(allowed__gte=0), name="allowed_not_negative")]

    def __str__(self) -> str:
        return f"{self.instrument}, {self.standard}"

    @property
    def off(self) -> float:
        """By how much the reading is off."""
        return self.reading - self.expected

    @property
    def passed(self) -> bool:
        """Whether the instrument passed; a difference of just `allowed` passes, whatever its last binary digit."""
        return abs(self.off) <= self.allowed + 1e-9 * max(abs(self.expected), 1.0)
