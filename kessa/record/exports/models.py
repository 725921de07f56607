"""What is given out to other programs: files of the record, each a work that takes its time."""

from typing import ClassVar

from django.db import models

from kessa.record.long_work.models import LongWork


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
