"""Keys by which programs and devices reach the record, answers kept for who asks twice, and who is told of what."""

from django.contrib.postgres.fields import ArrayField
from django.db import models
from django.db.models import Q

from kessa.record.instruments.models import Instrument
from kessa.record.people.models import Membership, TeamOwned

SCOPES = [
    ("read", "read the record"),
    ("visits", "write visits, circumstances and samples"),
    ("results", "write tests and their readings"),
    ("shown", "send what an instrument shows"),
]
EVENTS = [("results", "results"), ("verdicts", "how a place stands"), ("actions", "actions proposed")]


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


class Hook(TeamOwned):
    """An address that is told of what happens in the team, signed with a secret."""

    address = models.URLField("address", max_length=300)
    events = ArrayField(models.CharField(max_length=10, choices=EVENTS), default=list)
    secret = models.CharField(max_length=64)
    made_at = models.DateTimeField(auto_now_add=True)
    closed_at = models.DateTimeField(null=True)

    def __str__(self) -> str:
        return f"hook to {self.address}"


class Delivery(TeamOwned):
    """Something that a hook is told: sent again until it is taken, or given up."""

    hook = models.ForeignKey(Hook, on_delete=models.CASCADE, related_name="deliveries")
    event = models.CharField(max_length=10)
    payload = models.JSONField()
    made_at = models.DateTimeField(auto_now_add=True)
    tried = models.PositiveSmallIntegerField(default=0)
    delivered_at = models.DateTimeField(null=True)
    fault = models.CharField(max_length=200, blank=True)

    class Meta(TeamOwned.Meta):
        indexes = [models.Index(fields=["hook", "-id"], condition=Q(delivered_at=None), name="to_deliver")]
