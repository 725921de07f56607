"""Keys by which programs and devices reach the record, answers kept for who asks twice, and who is told of what."""

from django.contrib.postgres.fields import ArrayField
from django.db import models

from kessa.record.instruments.models import Instrument
from kessa.record.people.models import Membership, TeamOwned

SCOPES = [
    ("read", "read the record"),
    ("visits", "write visits, circumstances and samples"),
    ("results", "write tests and their readings"),
    ("shown", "send what an instrument shows"),
]


class Key(TeamOwned):
    """A key of a person's or a device's: it may what its person may, within its scopes. Only a digest is kept."""

    membership = models.ForeignKey(Membership, on_delete=models.CASCADE, related_name="api_keys")
    name = models.CharField("what it is for", max_length=60)
    digest = models.CharField(max_length=64, unique=True)
    # By which a person tells it from others.
    begins = models.CharField(max_length=12)
    # The one instrument whose it is: it sends for no other.
    instrument = models.ForeignKey(Instrument, null=True, blank=True, on_delete=models.CASCADE, related_name="+")
    scopes = ArrayField(models.CharField(max_length=10, choices=SCOPES), default=list)
    made_at = models.DateTimeField(auto_now_add=True)
    ends_at = models.DateTimeField()
    revoked_at = models.DateTimeField(null=True)
    used_on = models.DateField(null=True)
    # How many requests came with it in the minute that began then.
    minute = models.DateTimeField(null=True)
    asked = models.PositiveIntegerField(default=0, db_default=0)

    def __str__(self) -> str:
        return f"key “{self.name}”"


class Answered(TeamOwned):
    """What was answered to something sent with an idempotency key, for when it is sent again."""

    key = models.ForeignKey(Key, on_delete=models.CASCADE, related_name="+")
    once = models.CharField(max_length=80)
    # Of the address and what was sent: the same key with anything else is a mistake.
    asked = models.CharField(max_length=64)
    status = models.PositiveSmallIntegerField(null=True)
    body = models.TextField(blank=True)
    at = models.DateTimeField(auto_now_add=True)

    class Meta(TeamOwned.Meta):
        constraints = [models.UniqueConstraint(fields=["key", "once"], name="answered_once")]
