"""Teams, the people in them, and the base of everything a team owns."""

import zoneinfo

from django.contrib.auth.models import AbstractUser
from django.core.exceptions import ValidationError
from django.db import models

from kessa.people.managers import TeamManager

CONCENTRATIONS = [("mg/L", "mg/L"), ("ppm", "ppm")]
TEMPERATURES = [("degC", "°C"), ("degF", "°F")]
HARDNESSES = [
    ("mg/L", "mg/L as CaCO3"),
    ("dH", "German degrees, °dH"),
    ("fH", "French degrees, °fH"),
    ("eH", "English degrees, °e"),
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

    def __str__(self) -> str:
        return self.get_full_name() or self.username


class Team(models.Model):
    """People who share places and results."""

    name = models.CharField(max_length=80)
    time_zone = models.CharField(max_length=60, default="UTC", validators=[validate_time_zone])
    # Samples and bottle labels are numbered from one sequence.
    next_sample_number = models.PositiveIntegerField(default=1)
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

    class Meta:
        constraints = [models.UniqueConstraint(fields=["team", "user"], name="one_membership_a_team")]

    @property
    def coordinates(self) -> bool:
        """Whether the member looks after people, places and rules."""
        return self.role == Role.COORDINATOR

    @property
    def corrects_others(self) -> bool:
        """Whether the member may supersede what someone else measured."""
        return self.role in (Role.TECHNICIAN, Role.COORDINATOR)


class TeamOwned(models.Model):
    """A row that belongs to a team and is reached through it."""

    team = models.ForeignKey(Team, on_delete=models.CASCADE, related_name="+")

    # The first manager is Django's own for relations and constraints; code reaches rows by `objects`.
    across_teams = models.Manager()
    objects = TeamManager()

    class Meta:
        abstract = True
        default_manager_name = "across_teams"
