"""What a team shows to everybody."""

from django.conf import settings
from django.db import models

from kessa.record.people.models import TeamOwned
from kessa.record.places.models import Place


class Page(TeamOwned):
    """A page that anybody may see: of one place, or of the team with all its open places. Only what is released."""

    # Of the team itself there is no place.
    place = models.OneToOneField(Place, null=True, on_delete=models.CASCADE, related_name="public_page")
    # By which it is found: of its name, and letters nobody guesses before it is given out.
    slug = models.SlugField(max_length=80, unique=True)
    words = models.TextField("what you say about it", blank=True, max_length=600)
    opened_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    opened_at = models.DateTimeField()
    closed_at = models.DateTimeField(null=True)

    class Meta(TeamOwned.Meta):
        constraints = [
            models.UniqueConstraint(fields=["team"], condition=models.Q(place=None), name="one_page_of_the_team_itself")
        ]

    def __str__(self) -> str:
        return f"public page of {self.place or self.team}"
