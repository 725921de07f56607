"""What was printed and given out: numbered, dated, kept as it was."""

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.contrib.postgres.indexes import GinIndex
from django.db import models

from kessa.record.people.models import TeamOwned
from kessa.record.places.models import Place
from kessa.record.reports.kind import KINDS


class Report(TeamOwned):
    """A report that was issued: its number, what it is about, which results it holds, and the paper itself."""

    number = models.PositiveIntegerField()
    kind = models.CharField(max_length=12)
    title = models.CharField(max_length=200)
    # Of what it was made, to make it once more: see kessa.record.reports.kind.
    about = models.JSONField()
    place = models.ForeignKey(Place, null=True, on_delete=models.PROTECT, related_name="reports")
    issued_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    issued_at = models.DateTimeField()
    results = ArrayField(models.BigIntegerField(), default=list)
    # What its numbers are, without what names the paper itself; the whole; and the paper, which the worker prints.
    body = models.TextField()
    document = models.TextField()
    paper = models.BinaryField(null=True)

    class Meta(TeamOwned.Meta):
        constraints = [models.UniqueConstraint(fields=["team", "number"], name="one_report_a_number")]
        indexes = [models.Index(fields=["team", "-number"]), GinIndex(fields=["results"], name="reports_of_result")]

    def __str__(self) -> str:
        return f"report {self.number}"

    @property
    def kind_title(self) -> str:
        """What such a report is called; a report outlives its kind."""
        return KINDS[self.kind].title if self.kind in KINDS else self.kind
