"""What people tapped, as it was sent."""

from typing import Any

from django.conf import settings
from django.db import models
from django.db.models import Q

from kessa.record.people.managers import TeamManager
from kessa.record.people.selectors import Hand


class Tap(models.Model):
    """What a person tapped in a stream: on a visit or on a test. Never changed, never deleted.

    `id`, `seq`, `at` and `device` were made in the browser, and so was `stream`, the number of the visit or test.
    """

    id = models.UUIDField(primary_key=True)
    team = models.ForeignKey("people.Team", on_delete=models.CASCADE, related_name="+", db_index=False)
    stream = models.UUIDField()
    # What it is about within the stream: a run of a test, a scale of a visit, or the whole of it.
    run = models.CharField(max_length=30, blank=True)
    kind = models.CharField(max_length=20)
    data = models.JSONField(default=dict)
    seq = models.PositiveIntegerField()
    at = models.DateTimeField()
    device = models.CharField(max_length=40)
    # Whose tap it is, whoever was signed in when it came in.
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+", db_index=False)
    sent_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+", db_index=False
    )
    received_at = models.DateTimeField(auto_now_add=True)
    # Arrived after its stream was closed: kept, but not counted.
    late = models.BooleanField(default=False)

    across_teams = models.Manager()
    objects = TeamManager()

    class Meta:
        default_manager_name = "across_teams"
        indexes = [
            models.Index(fields=["stream", "seq"]),
            models.Index(fields=["stream"], condition=Q(sent_by__isnull=False), name="taps_sent_by_another"),
        ]

    @property
    def hand(self) -> Hand:
        """Whose it is, and who sent it where that was somebody else."""
        return Hand(self.person_id, self.sent_by_id)

    def as_sent(self) -> dict[str, Any]:
        """Return it as the browser knows it."""
        at = self.at.isoformat(timespec="milliseconds").replace("+00:00", "Z")
        return {
            "id": str(self.id),
            "run": self.run,
            "kind": self.kind,
            "seq": self.seq,
            "at": at,
            "data": self.data,
            "device": self.device,
        }
