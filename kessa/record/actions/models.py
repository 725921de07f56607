"""Actions: what is proposed at a place, who decided, what was done or declined, and what came of it."""

from typing import Any, ClassVar, Self

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.db import models
from django.db.models import F, Q

from kessa.core.quantities.spread import Spread
from kessa.core.treating.products import Product as Label
from kessa.core.treating.ways import LEAST_GRAVE
from kessa.record.people.managers import TeamManager
from kessa.record.people.models import TeamOwned
from kessa.record.places.models import Place
from kessa.record.products.models import Product, ProductLot
from kessa.record.results.models import Result


class State(models.TextChoices):
    """How far an action has come."""

    PROPOSED = "proposed", "proposed"
    DECIDED = "decided", "decided"
    DONE = "done", "done"
    DECLINED = "declined", "declined"
    TAKEN_BACK = "taken_back", "taken back"
    # Newer results no longer ask for it, and nobody had taken it up.
    WITHDRAWN = "withdrawn", "no longer asked for"


OPEN = (State.PROPOSED, State.DECIDED)


class ActionQuerySet(models.QuerySet):  # type: ignore[type-arg]
    """The words in which actions are asked for."""

    def open(self) -> Self:
        """Those that wait for somebody."""
        return self.filter(state__in=OPEN)

    def gravest_first(self) -> Self:
        """By how grave they are, then in the order in which they are done, then the oldest."""
        return self.order_by("rank", "position", "proposed_at", "pk")

    def to_follow(self) -> Self:
        """Those that were done and wait for the test that says whether they worked."""
        return self.filter(state=State.DONE, again_at__isnull=False, followed_at=None)


class Action(TeamOwned):
    """Something to do about what was found at a place: worked out by Kessa, or written down by a person.

    What was worked out is kept as it was that day. A title may hold {amount}, {portion} and {rate}.
    """

    place = models.ForeignKey(Place, on_delete=models.PROTECT, related_name="actions")
    key = models.CharField(max_length=90)
    # How: see kessa.core.treating.ways; "sheet" for a list, "other" for what a person wrote.
    by_way = models.CharField(max_length=20)
    rank = models.PositiveSmallIntegerField(default=LEAST_GRAVE)
    position = models.PositiveSmallIntegerField(default=1)
    title = models.CharField(max_length=600)
    why = models.TextField(blank=True)
    working = models.JSONField(default=list)
    cautions = models.JSONField(default=list)
    missing = models.JSONField(default=list)
    refused = models.TextField(blank=True)
    parameter = models.CharField(max_length=60, blank=True)
    unit = models.CharField(max_length=20, blank=True)
    form = models.CharField(max_length=20, blank=True)
    aim = models.FloatField(null=True)
    # In L, kg or minutes, or all the time in L/h or kg/h: likely, least and most.
    amount = models.FloatField(null=True)
    amount_low = models.FloatField(null=True)
    amount_high = models.FloatField(null=True)
    kept = models.CharField(max_length=4, default="L")
    portions = models.PositiveSmallIntegerField(default=1)
    hours_between = models.FloatField(default=0)
    # What the valve lets out, where it is bled by the clock.
    rate_l_min = models.FloatField(null=True)
    product = models.ForeignKey(Product, null=True, on_delete=models.PROTECT, related_name="actions")
    # Of a list: key, text and within how many hours of the finding.
    steps = models.JSONField(default=list)
    again_hours = models.FloatField(null=True)
    results = ArrayField(models.BigIntegerField(), default=list)
    # What it was worked out from, in words; when it was last worked out anew, and what had changed.
    inputs = models.JSONField(default=dict)
    anew_at = models.DateTimeField(null=True)
    anew_because = models.CharField(max_length=900, blank=True)
    found_at = models.DateTimeField()

    state = models.CharField(max_length=10, choices=State.choices, default=State.PROPOSED)
    proposed_at = models.DateTimeField()
    # Who of the team wrote the decision down, and whose it was where that is another.
    decided_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+")
    decided_at = models.DateTimeField(null=True)
    on_word_of = models.CharField(max_length=120, blank=True)
    # Who did it, or declined it, and when.
    ended_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+")
    ended_at = models.DateTimeField(null=True)
    remark = models.CharField(max_length=600, blank=True)
    done_amount = models.FloatField(null=True)
    done_product = models.ForeignKey(Product, null=True, on_delete=models.PROTECT, related_name="+")
    lot = models.ForeignKey(ProductLot, null=True, on_delete=models.PROTECT, related_name="+")
    # What that lot's book could give of it.
    lot_gave = models.FloatField(null=True)
    # The product's label as it was that day: what follows from the dose is worked out with it.
    label = models.JSONField(null=True)
    # When the test is due that says whether it worked; when it came, which result it was, and what it said.
    again_at = models.DateTimeField(null=True)
    followed_at = models.DateTimeField(null=True)
    followed_by = models.ForeignKey(Result, null=True, on_delete=models.PROTECT, related_name="+")
    outcome = models.TextField(blank=True)
    worked = models.BooleanField(null=True)
    # How much the system holds by the answer of the water (L): likely, least and most.
    volume_told = models.JSONField(null=True)

    objects: ClassVar[Any] = TeamManager.from_queryset(ActionQuerySet)()

    class Meta(TeamOwned.Meta):
        indexes = [
            models.Index(fields=["team", "rank", "position"], condition=Q(state__in=OPEN), name="open_actions"),
            models.Index(
                fields=["team", "again_at"],
                condition=Q(state="done", again_at__isnull=False, followed_at=None),
                name="actions_to_follow",
            ),
            models.Index(fields=["place", "-ended_at"]),
            models.Index(fields=["team", "-ended_at", "-id"]),
        ]
        constraints = [
            models.UniqueConstraint(fields=["place", "key"], condition=Q(state__in=OPEN), name="open_once_at_a_place"),
            models.CheckConstraint(
                condition=Q(amount_high__isnull=True) | Q(amount_high__gte=F("amount_low")),
                name="amount_low_below_high",
            ),
        ]

    def __str__(self) -> str:
        return f"{self.key} at {self.place}"

    @property
    def is_open(self) -> bool:
        """Whether it waits for somebody."""
        return self.state in OPEN

    @property
    def label_then(self) -> Label | None:
        """The label of the product that went in, as it was that day."""
        return Label.model_validate(self.label) if self.label else None


class Tick(TeamOwned):
    """A step of a list that somebody ticked: when, and with which remark. The last one of a step counts."""

    action = models.ForeignKey(Action, on_delete=models.CASCADE, related_name="ticks")
    key = models.CharField(max_length=40)
    done = models.BooleanField(default=True)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    remark = models.CharField(max_length=300, blank=True)

    class Meta(TeamOwned.Meta):
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"{self.key} of {self.action}"


def spread_fields(amount: Spread | None) -> dict[str, Any]:
    """Return an amount as the fields of an action."""
    ends = amount or (None, None, None)
    return dict(zip(("amount", "amount_low", "amount_high"), ends, strict=True))
