"""Kits and the lots in them."""

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.db.models import Q
from django.utils import timezone
from simple_history.models import HistoricalRecords

from kessa.core.job.supplies import Supply, supplies
from kessa.core.methods.schema import Method
from kessa.core.planning import stock
from kessa.record.methods.selectors import families_of, methods_of
from kessa.record.people.models import TeamOwned

# A hundred years: longer than anything keeps, and no date runs out of the calendar.
MOST_DAYS = 36_500


class Kit(TeamOwned):
    """A box that is taken along: it serves some tests, and holds lots of what they use up."""

    name = models.CharField(max_length=80)
    home = models.CharField("where it is kept", max_length=120, blank=True)
    families = ArrayField(models.CharField(max_length=60), default=list, blank=True)

    history = HistoricalRecords()

    class Meta(TeamOwned.Meta):
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(
                fields=["team", "name"],
                name="one_kit_a_name",
                violation_error_message="Your team has a kit of this name already.",
            )
        ]

    def __str__(self) -> str:
        return self.name

    @property
    def methods(self) -> list[Method]:
        """The lowest range of each test it serves."""
        known = families_of(self.team_id)
        return [known[key][0] for key in self.families if key in known]


class Lot(TeamOwned):
    """A lot of a supply, as it was bought: reagent, strips, ampoules, sensors or water."""

    kit = models.ForeignKey(Kit, on_delete=models.PROTECT, related_name="lots")
    supply_key = models.CharField(max_length=60)
    number = models.CharField("lot number", max_length=40)
    units_left = models.FloatField(default=0.0)
    expires_on = models.DateField(null=True, blank=True)
    opened_on = models.DateField(null=True, blank=True)
    keeps_opened_days = models.PositiveIntegerField(
        null=True, blank=True, validators=[MinValueValidator(1), MaxValueValidator(MOST_DAYS)]
    )
    in_use = models.BooleanField(default=False)
    damp = models.BooleanField("suspected damp", default=False)
    # Of strips with a signal bar: [[mark, value], ...], printed for this lot alone.
    table = models.JSONField(default=list, blank=True)
    # Of a dropper bottle: what 20 of its drops weigh, in g.
    grams_of_20 = models.FloatField("weight of 20 drops", null=True, blank=True)
    put_away_at = models.DateTimeField(null=True)

    # What runs use is booked with them, and no change of the lot.
    history = HistoricalRecords(excluded_fields=["units_left"])

    class Meta(TeamOwned.Meta):
        ordering = ["supply_key", "-in_use", "expires_on", "pk"]
        constraints = [
            models.UniqueConstraint(
                fields=["kit", "supply_key", "number"],
                name="one_lot_a_number",
                violation_error_message="This kit holds this lot already: count it instead.",
            ),
            models.UniqueConstraint(
                fields=["kit", "supply_key"], condition=Q(in_use=True), name="one_lot_in_use_a_supply"
            ),
            models.CheckConstraint(condition=Q(units_left__gte=0), name="never_below_nothing"),
        ]

    def __str__(self) -> str:
        return f"{self.supply.name}, lot {self.number}"

    @property
    def supply(self) -> Supply:
        """What it is a lot of."""
        return supplies()[self.supply_key]

    @property
    def drop_ml(self) -> float | None:
        """How much a drop of it is taken to be, in mL; None where it is not counted by drops."""
        known = (each.drop_of for each in methods_of(self.team_id).values())
        return next((drop[1] for drop in known if drop and drop[0] == self.supply_key), None)

    @property
    def stock(self) -> stock.Lot:
        """The lot as stock reckons with it."""
        keeps = self.keeps_opened_days or self.supply.keeps_opened_days
        return stock.Lot(self.units_left, self.expires_on, self.opened_on, keeps, self.damp)

    @property
    def faults(self) -> tuple[str, ...]:
        """What stands against using it today."""
        return self.stock.faults(timezone.localdate())


class StockChange(TeamOwned):
    """What came into a lot or went out of it, but for what runs used: received, counted, thrown away."""

    lot = models.ForeignKey(Lot, on_delete=models.PROTECT, related_name="changes")
    units = models.FloatField()
    why = models.CharField(max_length=300)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
