"""Work that takes its time: what the worker does, how far it is, and that it can be cancelled."""

from django.conf import settings
from django.db import models

from kessa.record.people.models import TeamOwned


class State(models.TextChoices):
    """How far a long work has come."""

    ASKED = "asked", "waits for the worker"
    RUNNING = "running", "under way"
    DONE = "done", "done"
    CANCELLED = "cancelled", "cancelled"
    FAILED = "failed", "failed"


UNDER_WAY = (State.ASKED, State.RUNNING)


class LongWork(TeamOwned):
    """Something the worker does, which says how far it is and can be cancelled."""

    asked_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    asked_at = models.DateTimeField(auto_now_add=True)
    state = models.CharField(max_length=10, choices=State.choices, default=State.ASKED)
    done = models.PositiveIntegerField(default=0)
    total = models.PositiveIntegerField(default=0)
    ended_at = models.DateTimeField(null=True)
    fault = models.CharField(max_length=300, blank=True)

    class Meta(TeamOwned.Meta):
        abstract = True

    @property
    def under_way(self) -> bool:
        """Whether the worker has it still to do, or does it now."""
        return self.state in UNDER_WAY

    @property
    def percent(self) -> int:
        """How much of it is done."""
        return min(100 * self.done // self.total, 100) if self.total else 0
