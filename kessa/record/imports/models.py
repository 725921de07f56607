"""Past results on their way into the record."""

import uuid
from hashlib import sha256
from typing import Any, ClassVar, Self

from django.db import models
from django.db.models import Q

from kessa.record.long_work.models import LongWork
from kessa.record.people.managers import TeamManager
from kessa.record.people.models import TeamOwned


class Stage(models.TextChoices):
    """How far a file has come on its way into the record."""

    LOOKING = "looking", "its table is looked for"
    MATCHING = "matching", "its columns are to be looked at"
    CHECKING = "checking", "every row is read"
    MENDING = "mending", "looked over before it is taken in"
    WRITING = "writing", "being taken in"
    IN = "in", "taken in"
    UNDOING = "undoing", "being undone"
    UNDONE = "undone", "undone"


class Import(LongWork):
    """A file of old results on its way into the record: what its columns are, what was found in it."""

    # By which everything that comes of it is known: see Visit.taken_in.
    number = models.UUIDField(default=uuid.uuid4, unique=True, editable=False)
    name = models.CharField(max_length=120)
    digest = models.CharField(max_length=64)
    file = models.FileField(upload_to="notebooks/%Y/%m", max_length=200)
    stage = models.CharField(max_length=10, choices=Stage.choices, default=Stage.LOOKING)
    head = models.JSONField(default=list)
    # What each column is about, and how the file is to be read: see kessa.record.imports.rows.
    columns = models.JSONField(default=list)
    reading = models.JSONField(default=dict)
    # What would come of it, or came of it.
    told = models.JSONField(default=dict)

    class Meta(LongWork.Meta):
        app_label = "exchange"
        indexes = [models.Index(fields=["team", "-asked_at"])]

    def __str__(self) -> str:
        return self.name


class DoubtfulQuerySet(models.QuerySet):  # type: ignore[type-arg]
    """The words in which doubtful rows are asked for."""

    def to_mend(self) -> Self:
        """Those about which something is doubtful still."""
        return self.exclude(why=[])

    def left_out(self) -> Self:
        """Those that are not taken in: doubtful still, or left out by whoever looked at them."""
        return self.filter(~Q(why=[]) | Q(mended=[]))


class Doubtful(TeamOwned):
    """A row of a file that cannot be taken in as it stands; mended, or left out."""

    imported = models.ForeignKey(Import, on_delete=models.CASCADE, related_name="doubtful")
    number = models.PositiveIntegerField()
    cells = models.JSONField()
    why = models.JSONField()
    mended = models.JSONField(null=True)

    objects: ClassVar[Any] = TeamManager.from_queryset(DoubtfulQuerySet)()

    class Meta(TeamOwned.Meta):
        app_label = "exchange"
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["imported", "number"], name="one_doubtful_row_a_number")]

    @property
    def reason(self) -> str:
        """Why it is not taken in."""
        return " ".join(self.why) or "Left out by whoever imported the file."


class Matching(TeamOwned):
    """What the columns under some heads were about the last time: the next file with them is read alike."""

    heads = models.CharField(max_length=64)
    columns = models.JSONField()
    reading = models.JSONField()

    class Meta(TeamOwned.Meta):
        app_label = "exchange"
        constraints = [models.UniqueConstraint(fields=["team", "heads"], name="one_matching_of_heads")]


def digest_of(head: list[str]) -> str:
    """Return by what heads of a table are known again."""
    return sha256("\n".join(head).encode()).hexdigest()
