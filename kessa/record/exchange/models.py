"""What is given out to other programs, and what is taken in from old notebooks: work that takes its time."""

import uuid
from typing import ClassVar

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


class Format(models.TextChoices):
    """As what the record is given out."""

    PACKAGE = "zip", "data package: CSV tables with types, units and keys"
    WORKBOOK = "xlsx", "workbook, a sheet for each noun"
    LINES = "jsonl", "JSON lines"
    MAP = "geojson", "GeoJSON: places with their newest results"


LICENCES = {
    "": "none said",
    "CC0-1.0": "CC0: free of rights",
    "CC-BY-4.0": "CC BY 4.0: free, naming the team",
    "ODbL-1.0": "ODbL: free, if what is made of it is too",
}


class Export(LongWork):
    """A file of the record, as it was filtered."""

    format = models.CharField(max_length=8, choices=Format.choices)
    licence = models.CharField(max_length=12, choices=list(LICENCES.items()), blank=True)
    # The filters of the log, as its address has them.
    filters = models.CharField(max_length=2000, blank=True)
    file = models.FileField(upload_to="exports/%Y/%m", max_length=200)
    keeps_for_days: ClassVar[int] = 7

    class Meta(LongWork.Meta):
        indexes = [models.Index(fields=["team", "-asked_at"])]

    def __str__(self) -> str:
        return f"export of {self.asked_at:%Y-%m-%d}"


class Stage(models.TextChoices):
    """How far an old notebook has come on its way into the record."""

    MATCHING = "matching", "its columns are to be looked at"
    CHECKING = "checking", "every row is read"
    MENDING = "mending", "looked over before it is taken in"
    WRITING = "writing", "being taken in"
    IN = "in", "taken in"
    UNDOING = "undoing", "being undone"
    UNDONE = "undone", "undone"


class Notebook(LongWork):
    """A file of old results on its way into the record: what its columns are, what was found in it."""

    # By which everything that comes of it is known: see Visit.taken_in.
    number = models.UUIDField(default=uuid.uuid4, unique=True, editable=False)
    name = models.CharField(max_length=120)
    digest = models.CharField(max_length=64)
    file = models.FileField(upload_to="notebooks/%Y/%m", max_length=200)
    stage = models.CharField(max_length=10, choices=Stage.choices, default=Stage.MATCHING)
    head = models.JSONField(default=list)
    # What each column is about, and how the file is to be read: see kessa.record.exchange.rows.
    columns = models.JSONField(default=list)
    reading = models.JSONField(default=dict)
    # What would come of it, or came of it.
    told = models.JSONField(default=dict)

    class Meta(LongWork.Meta):
        indexes = [models.Index(fields=["team", "-asked_at"])]

    def __str__(self) -> str:
        return self.name


class Doubtful(TeamOwned):
    """A row of a notebook that cannot be taken in as it stands; mended, or left out."""

    notebook = models.ForeignKey(Notebook, on_delete=models.CASCADE, related_name="doubtful")
    number = models.PositiveIntegerField()
    cells = models.JSONField()
    why = models.JSONField()
    mended = models.JSONField(null=True)

    class Meta(TeamOwned.Meta):
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["notebook", "number"], name="one_doubtful_row_a_number")]


class Matching(TeamOwned):
    """What the columns under some heads were about the last time: the next file with them is read alike."""

    heads = models.CharField(max_length=64)
    columns = models.JSONField()
    reading = models.JSONField()

    class Meta(TeamOwned.Meta):
        constraints = [models.UniqueConstraint(fields=["team", "heads"], name="one_matching_of_heads")]
