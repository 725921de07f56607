"""What was said of visits by those who looked them over."""

from django.conf import settings
from django.db import models
from django.db.models import Q

from kessa.record.people.models import TeamOwned
from kessa.record.results.models import Result
from kessa.record.visits.models import Visit


class What(models.TextChoices):
    """What was said or done in a review."""

    ASKED = "asked", "asked back"
    ANSWERED = "answered", "answered"
    WITHDRAWN = "withdrawn", "question withdrawn"
    ACCEPTED = "accepted", "accepted"
    RELEASED = "released", "released"
    TAKEN_BACK = "taken-back", "review taken back"


class Step(TeamOwned):
    """One thing that was said of a visit in its review: by whom, when, in which words. Never changed."""

    visit = models.ForeignKey(Visit, on_delete=models.PROTECT, related_name="review_steps")
    what = models.CharField(max_length=10, choices=What.choices)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    words = models.CharField(max_length=600, blank=True)
    # Of a question: about which number, and who is asked.
    result = models.ForeignKey(Result, null=True, on_delete=models.PROTECT, related_name="+")
    to = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+")
    # Of what ended a question: which.
    answers = models.OneToOneField("self", null=True, on_delete=models.PROTECT, related_name="answer")

    class Meta(TeamOwned.Meta):
        ordering = ["pk"]
        indexes = [models.Index(fields=["team", "to"], condition=Q(what="asked"), name="asked_of")]

    def __str__(self) -> str:
        return f"{self.get_what_display()}: {self.visit}"
