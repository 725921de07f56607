"""Teams, the people in them, what they did, and the base of everything a team owns."""

import zoneinfo

from django.contrib.auth.models import AbstractUser
from django.contrib.postgres.fields import ArrayField
from django.core.exceptions import ValidationError
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.db.models import F, Q
from simple_history.models import HistoricalRecords

from kessa.core.advising.wording import ROLES
from kessa.core.colours.eyes import EYES
from kessa.record.people.managers import TeamManager

# The kinds of water about which somebody is told.
WATERS = [("drinking", "water that people drink"), ("open", "streams"), ("plant", "plants")]
CONCENTRATIONS = [("mg/L", "mg/L"), ("ppm", "ppm")]
TEMPERATURES = [("degC", "°C"), ("degF", "°F")]
HARDNESSES = [
    ("mg/L", "mg/L as CaCO3"),
    ("dH", "German degrees, °dH"),
    ("fH", "French degrees, °fH"),
    ("eH", "English degrees, °e"),
    ("gpg", "grains per US gallon, gpg"),
]


ACUTE_TO = [("coordinators", "coordinators"), ("everybody", "everybody of the team")]
REVIEWERS = [(0, "nobody: coordinators release at once"), (1, "one"), (2, "two")]
MAY_REVIEW = [("technician", "technicians and coordinators"), ("coordinator", "coordinators only")]
RELEASED_BY = [("coordinator", "by a coordinator, afterwards"), ("review", "with the last review")]
AMOUNTS = [
    ("metric", "litres and kilograms"),
    ("us", "US gallons and ounces"),
    ("imperial", "imperial gallons and ounces"),
]


def validate_time_zone(name: str) -> None:
    """Refuse a name that is no time zone."""
    if name not in zoneinfo.available_timezones():
        raise ValidationError("Not a time zone known here, such as Europe/London.")


class User(AbstractUser):
    """A person who signs in."""

    email = models.EmailField(blank=True)
    # How numbers are shown to this person; they are stored as measured.
    concentration_unit = models.CharField(max_length=10, choices=CONCENTRATIONS, default="mg/L")
    temperature_unit = models.CharField(max_length=10, choices=TEMPERATURES, default="degC")
    hardness_unit = models.CharField(max_length=10, choices=HARDNESSES, default="mg/L")

    amount_system = models.CharField(max_length=10, choices=AMOUNTS, default="metric")
    # Which colours look alike to them: nobody else is ever shown it, and no file holds it.
    colours_alike = models.CharField(max_length=12, choices=[("", "none"), *EYES.items()], blank=True)

    # By which they take a visit over on another person's phone: see kessa.record.people.pins. Only its hash is kept.
    pin = models.CharField(max_length=128, blank=True, editable=False)

    def __str__(self) -> str:
        return self.get_full_name() or self.username


class Team(models.Model):
    """People who share places and results."""

    name = models.CharField(max_length=80)
    time_zone = models.CharField(max_length=60, default="UTC", validators=[validate_time_zone])
    # Samples and bottle labels are numbered from one sequence.
    next_sample_number = models.PositiveIntegerField(default=1)
    next_report_number = models.PositiveIntegerField(default=1)
    # Who hears of what may harm at once, whatever they chose: see kessa.record.notifications.
    acute_to = models.CharField(max_length=12, choices=ACUTE_TO, default="coordinators")
    # Whether and by whom visits are looked over before their numbers go out: see kessa.record.review.
    reviewers_needed = models.PositiveSmallIntegerField(
        "how many others look over a visit", choices=REVIEWERS, default=1
    )
    reviewers = models.CharField("who may", max_length=12, choices=MAY_REVIEW, default="technician")
    released_by = models.CharField("released", max_length=12, choices=RELEASED_BY, default="coordinator")
    # Who may do a test alone: so often practised well, and again after so long. See kessa.record.practice.
    practised_times = models.PositiveSmallIntegerField(
        "practised well, so many times", default=0, validators=[MaxValueValidator(5)]
    )
    practised_again_days = models.PositiveSmallIntegerField(
        "and again after so many days", null=True, blank=True, validators=[MinValueValidator(1)]
    )
    members = models.ManyToManyField(User, through="Membership", related_name="teams")

    def __str__(self) -> str:
        return self.name


class Role(models.TextChoices):
    """What a member may do: each role may do what those before it may."""

    VOLUNTEER = "volunteer", "volunteer"
    TECHNICIAN = "technician", "technician"
    COORDINATOR = "coordinator", "coordinator"


class Membership(models.Model):
    """A person's place in a team."""

    team = models.ForeignKey(Team, on_delete=models.CASCADE, related_name="memberships")
    user = models.ForeignKey(User, on_delete=models.CASCADE, related_name="memberships")
    role = models.CharField(max_length=12, choices=Role.choices, default=Role.VOLUNTEER)

    history = HistoricalRecords()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["team", "user"], name="one_membership_a_team")]

    def __str__(self) -> str:
        return str(self.user)


class TeamOwned(models.Model):
    """A row that belongs to a team and is reached through it."""

    team = models.ForeignKey(Team, on_delete=models.CASCADE, related_name="+")

    # The first manager is Django's own for relations and constraints; code reaches rows by `objects`.
    across_teams = models.Manager()
    objects = TeamManager()

    class Meta:
        abstract = True
        default_manager_name = "across_teams"


class Invitation(TeamOwned):
    """A secret address by which so many people may join the team in a role; only a digest of the secret is kept."""

    role = models.CharField(max_length=12, choices=Role.choices)
    digest = models.CharField(max_length=64, unique=True)
    most = models.PositiveSmallIntegerField(default=1)
    joined = models.PositiveSmallIntegerField(default=0)
    made_by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField()
    ends_at = models.DateTimeField()
    revoked_at = models.DateTimeField(null=True)

    class Meta(TeamOwned.Meta):
        constraints = [models.CheckConstraint(condition=Q(joined__lte=F("most")), name="joined_as_often_as_invited")]

    def __str__(self) -> str:
        return f"invitation as {self.get_role_display()}"


class Act(TeamOwned):
    """What somebody did, or was refused: kept for as long as the team."""

    person = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    what = models.CharField(max_length=80)
    # On which row, by its kind, number and words: the row may be gone.
    on_kind = models.CharField(max_length=60, blank=True)
    on_id = models.CharField(max_length=40, blank=True)
    on_words = models.CharField(max_length=200, blank=True)
    # By field: before and after.
    changes = models.JSONField(default=dict)
    why = models.CharField(max_length=300, blank=True)
    refused = models.BooleanField(default=False)

    class Meta(TeamOwned.Meta):
        indexes = [
            models.Index(fields=["team", "-at", "-id"]),
            models.Index(fields=["team", "on_kind", "on_id", "-id"]),
        ]


# As a person chooses them; what a list says where nobody is named is in ROLES.
_CALLED = {
    "authority": "the authority for the water",
    "laboratory": "a certified laboratory",
    "drinkers": "those who drink it",
    "keeper": "the owner, keeper or competent person",
    "spill_line": "the line for spills and fish kills",
}
assert _CALLED.keys() == ROLES.keys()


class Contact(TeamOwned):
    """Whom the team tells, by what the water is for and how grave it is."""

    role = models.CharField("who it is", max_length=12, choices=list(_CALLED.items()))
    name = models.CharField(max_length=200)
    telephone = models.CharField(max_length=60, blank=True)
    email = models.EmailField("e-mail", blank=True)
    waters = ArrayField(models.CharField(max_length=10, choices=WATERS), default=list)
    gravest_only = models.BooleanField("only for what may harm at once", default=False)

    history = HistoricalRecords()

    class Meta(TeamOwned.Meta):
        ordering = ["role", "-gravest_only", "name"]

    def __str__(self) -> str:
        return ", ".join(filter(None, (self.name, self.telephone or self.email)))
