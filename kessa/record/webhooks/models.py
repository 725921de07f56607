"""Addresses that are told of what happens in a team, signed with a secret."""

from django.contrib.postgres.fields import ArrayField
from django.db import models
from django.db.models import Q

from kessa.record.people.models import TeamOwned

EVENTS = [("results", "results"), ("verdicts", "how a place stands"), ("actions", "actions proposed")]


class Webhook(TeamOwned):
    """An address that is told of what happens in the team, signed with a secret."""

    address = models.URLField("address", max_length=300)
    events = ArrayField(models.CharField(max_length=10, choices=EVENTS), default=list)
    secret = models.CharField(max_length=64)
    made_at = models.DateTimeField(auto_now_add=True)
    closed_at = models.DateTimeField(null=True)

    class Meta(TeamOwned.Meta):
        # Its table keeps the name that it had.
        app_label = "api"

    def __str__(self) -> str:
        return f"hook to {self.address}"


class Delivery(TeamOwned):
    """Something that a hook is told: sent again until it is taken, or given up."""

    hook = models.ForeignKey(Webhook, on_delete=models.CASCADE, related_name="deliveries")
    event = models.CharField(max_length=10)
    payload = models.JSONField()
    made_at = models.DateTimeField(auto_now_add=True)
    tried = models.PositiveSmallIntegerField(default=0)
    delivered_at = models.DateTimeField(null=True)
    fault = models.CharField(max_length=200, blank=True)

    class Meta(TeamOwned.Meta):
        app_label = "api"
        indexes = [models.Index(fields=["hook", "-id"], condition=Q(delivered_at=None), name="to_deliver")]
