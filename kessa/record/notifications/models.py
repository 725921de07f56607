"""Being told: what each person wants to hear, and what was sent to whom about what."""

from django.conf import settings
from django.db import models

from kessa.core.treating.ways import AT_ONCE, LEAST_GRAVE
from kessa.record.actions.models import Action
from kessa.record.people.models import Membership, TeamOwned
from kessa.record.review.models import Step
from kessa.record.visits.models import Visit


class Wanted(models.IntegerChoices):
    """Of what is found a person hears: up to this rank (0 is the gravest)."""

    NOTHING = -1, "nothing by e-mail"
    AT_ONCE = AT_ONCE, "what may harm at once"
    OUTSIDE = 3, "what is outside and worked out"
    EVERYTHING = LEAST_GRAVE, "everything that is proposed"


class Wish(TeamOwned):
    """What a member wants to be told by e-mail. The team's rule may ask for more: see Team.acute_to."""

    membership = models.OneToOneField(Membership, on_delete=models.CASCADE, related_name="wish")
    up_to = models.SmallIntegerField("of what is found", choices=Wanted.choices, default=Wanted.AT_ONCE)
    follow_ups = models.BooleanField("when something I did is to be tested again", default=True)
    questions = models.BooleanField("when somebody asks me about a visit", default=True)
    overdue = models.BooleanField("when somebody who told me has not come back", default=True)


class Kind(models.TextChoices):
    """What a notice is about."""

    FOUND = "found", "something found"
    AGAIN = "again", "to be tested again"
    OVERDUE = "overdue", "somebody not back"
    ASKED = "asked", "asked in a review"


class Notice(TeamOwned):
    """Something told to a person by e-mail, once; kept with what it said."""

    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    kind = models.CharField(max_length=8, choices=Kind.choices)
    action = models.ForeignKey(Action, null=True, on_delete=models.CASCADE, related_name="+")
    visit = models.ForeignKey(Visit, null=True, on_delete=models.CASCADE, related_name="+")
    question = models.ForeignKey(Step, null=True, on_delete=models.CASCADE, related_name="+")
    subject = models.CharField(max_length=200)
    body = models.TextField()
    made_at = models.DateTimeField(auto_now_add=True)
    sent_at = models.DateTimeField(null=True)

    class Meta(TeamOwned.Meta):
        constraints = [
            models.UniqueConstraint(
                fields=["person", "kind", "action", "visit", "question"],
                nulls_distinct=False,
                name="told_once_of_one_thing",
            )
        ]

    def __str__(self) -> str:
        return self.subject


def wish_of(membership: Membership) -> Wish:
    """Return what a member wants to be told, as it is kept or as it is at first."""
    kept: Wish | None = getattr(membership, "wish", None)
    return kept or Wish(team_id=membership.team_id, membership=membership)
