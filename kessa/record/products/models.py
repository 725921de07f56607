"""Products that a team puts into water: labels, lots and what is left of them."""

from typing import Any

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.core.exceptions import ValidationError
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.utils import timezone
from simple_history.models import HistoricalRecords

from kessa.core.checked import check
from kessa.core.errors import CannotCompute
from kessa.core.treating import products as core
from kessa.core.treating.amounts import Kept
from kessa.record.people.models import TeamOwned
from kessa.record.places.models import Place

_ABOVE_0 = MinValueValidator(1e-9)
_MOST = MaxValueValidator(1e9)
# What the core knows of a product; the rest is for people to read.
_OF_THE_LABEL = tuple(core.Product.model_fields)


def _number(words: str, *bounds: MinValueValidator | MaxValueValidator) -> Any:
    return models.FloatField(words, null=True, blank=True, validators=bounds or (_ABOVE_0, _MOST))


class Product(TeamOwned):
    """A product by its label: what it does, how strong it is, what it must never meet. See kessa.core.treating."""

    name = models.CharField(max_length=80)
    does = models.CharField("what it does", max_length=12, choices=list(core.DOES.items()), default=core.RAISES)
    parameter = models.CharField("the level of", max_length=60, blank=True)
    liquid = models.BooleanField("it is a liquid", default=True)
    active_percent = _number("strength, % by weight", _ABOVE_0, MaxValueValidator(100))
    active_form = models.CharField("of what", max_length=20, blank=True)
    density_kg_l = _number("density, kg/L", MinValueValidator(0.5), MaxValueValidator(3))
    step = _number("one L (kg) in 1 m³ changes it by")
    step_unit = models.CharField("in which unit", max_length=20, default="mg/L")
    step_form = models.CharField("written as", max_length=20, blank=True)
    label_per_m3 = _number("usual dose for 1 m³, L (kg)")
    most_per_m3 = _number("the most at once for 1 m³, L (kg)")
    most_level = _number("the most there may be in the water")
    contact_hours = _number("it acts for, hours")
    hours_between = models.FloatField("hours between portions", default=4.0, validators=[MinValueValidator(0), _MOST])
    holds = ArrayField(models.CharField(max_length=20), default=list, blank=True, verbose_name="what it holds")
    approved_for_drinking = models.BooleanField("approved for drinking water, its label says so", default=False)
    hazards = models.TextField(blank=True, max_length=1000)
    never_with = models.TextField("never together with", blank=True, max_length=1000)
    supplier = models.CharField(max_length=120, blank=True)
    # Without any it is for every place of the team.
    places = models.ManyToManyField(Place, related_name="products", blank=True, verbose_name="only for these systems")
    retired_at = models.DateTimeField(null=True)

    history = HistoricalRecords(m2m_fields=[places])

    class Meta(TeamOwned.Meta):
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(
                fields=["team", "name"],
                name="one_product_a_name",
                violation_error_message="Your team has a product of this name already.",
            )
        ]

    def __str__(self) -> str:
        return self.name

    @property
    def label(self) -> core.Product:
        """What its label says, checked; raises CannotCompute naming the field at fault."""
        data = {name: getattr(self, name) for name in _OF_THE_LABEL}
        return check(core.Product, {name: each for name, each in data.items() if each != ""}, "name")

    @property
    def kept(self) -> Kept:
        """In what amounts of it are kept."""
        return "L" if self.liquid else "kg"

    def is_for(self, place: int) -> bool:
        """Whether it may be proposed at a place, by its number."""
        places = [each.pk for each in self.places.all()]
        return not places or place in places

    def clean(self) -> None:
        """Refuse a label that says too little, or two things at once, at the field it is about."""
        super().clean()
        try:
            self.label  # noqa: B018 # it is checked by being read
        except CannotCompute as error:
            raise ValidationError(
                {error.field: error.message} if hasattr(self, error.field) else error.message
            ) from None


class ProductLot(TeamOwned):
    """A can, drum or sack of a product; `left` in L or kg."""

    product = models.ForeignKey(Product, on_delete=models.PROTECT, related_name="lots")
    number = models.CharField("lot number", max_length=40)
    left = models.FloatField(default=0.0)
    expires_on = models.DateField(null=True, blank=True)
    put_away_at = models.DateTimeField(null=True)

    history = HistoricalRecords(excluded_fields=["left"])

    class Meta(TeamOwned.Meta):
        ordering = ["expires_on", "pk"]
        constraints = [
            models.UniqueConstraint(
                fields=["product", "number"],
                name="one_lot_of_a_product_a_number",
                violation_error_message="This lot is on the books already: count it instead.",
            )
        ]

    def __str__(self) -> str:
        return f"lot {self.number}"

    @property
    def expired(self) -> bool:
        """Whether its day is past."""
        return self.expires_on is not None and self.expires_on < timezone.localdate()


class ProductChange(TeamOwned):
    """What came into a lot or went out of it: received, counted, dosed."""

    lot = models.ForeignKey(ProductLot, on_delete=models.PROTECT, related_name="changes")
    amount = models.FloatField()
    why = models.CharField(max_length=300)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta(TeamOwned.Meta):
        ordering = ["-at", "-pk"]
