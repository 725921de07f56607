"""Forms of actions: what was done, by whom it was decided, why not."""

from datetime import timedelta
from functools import partial
from typing import Any

from django import forms
from django.core.exceptions import ValidationError
from django.utils import timezone

from kessa.core.treating.amounts import MEASURES, figures, is_rate, kept_amount, measure_for, per_hour, written
from kessa.pages.base.number_field import NumberField
from kessa.record.actions.models import Action
from kessa.record.people.models import Team
from kessa.record.products.models import Product, ProductLot

_MOMENT = "%Y-%m-%dT%H:%M"
_LONGEST_WAIT = timedelta(days=366)
_WAYS = [
    ("dose", "something was put in"),
    ("bleed", "it was bled"),
    ("drain", "part of it was drained"),
    ("flush", "it was flushed"),
    ("clean", "it was cleaned"),
    ("biocide", "something was put in against bacteria"),
    ("regenerate", "a softener was regenerated"),
    ("backwash", "a filter was backwashed or changed"),
    ("refill", "a tank was filled up"),
    ("look", "something was looked at or mended"),
]


class Moment(forms.DateTimeField):
    """A moment, chosen in a browser's own field; in the team's time."""

    def __init__(self, label: str, **how: Any) -> None:
        widget = forms.DateTimeInput(attrs={"type": "datetime-local"}, format=_MOMENT)
        super().__init__(label=label, widget=widget, input_formats=[_MOMENT], **how)


class AmountForm(forms.Form):
    """How much of which lot, when, and when it is tested again."""

    amount = NumberField(label="How much", min_value=0, max_value=1e9, required=False)
    measure = forms.ChoiceField(label="in", required=False)
    product = forms.ModelChoiceField(label="Of which product", queryset=None, required=False, empty_label="no product")
    lot = forms.ModelChoiceField(label="Lot", queryset=None, required=False, empty_label="not from a lot on the books")
    at = Moment("When it was done")
    again_at = Moment("Test again at", required=False)
    remark = forms.CharField(label="Remarks", max_length=600, required=False, widget=forms.Textarea(attrs={"rows": 2}))
    despite = forms.BooleanField(label="So it was: I write down what happened", required=False)

    def __init__(self, team: Team, system: str, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        fields: dict[str, Any] = self.fields
        fields["product"].queryset = Product.objects.for_team(team).filter(retired_at=None)
        lots = ProductLot.objects.for_team(team).filter(put_away_at=None, product__retired_at=None)
        fields["lot"].queryset = lots.select_related("product").order_by("product__name", "expires_on")
        fields["lot"].label_from_instance = partial(_lot_words, system)
        fields["measure"].choices = [
            (key, measure.sign) for key, measure in MEASURES.items() if not is_rate(measure.kept)
        ]
        self.initial.setdefault("at", timezone.localtime())
        self.initial.setdefault("measure", measure_for(1.0, "L", system))

    def clean(self) -> dict[str, Any]:
        """Turn what was poured or weighed into what it is kept in; it has to be the product's own kind."""
        cleaned: dict[str, Any] = super().clean() or {}
        product, lot, at, again = (cleaned.get(name) for name in ("product", "lot", "at", "again_at"))
        if at and again and not at <= again <= at + _LONGEST_WAIT:
            raise ValidationError({"again_at": "One tests again after it was done, and within a year."})
        if lot and not product:
            product = cleaned["product"] = lot.product
        if lot and product and lot.product_id != product.pk:
            raise ValidationError({"lot": "This lot is of another product."})
        if cleaned.get("amount") is None:
            cleaned["kept"] = None
            return cleaned
        cleaned["amount"], cleaned["kept"] = kept_amount(cleaned["amount"], cleaned.get("measure") or "L")
        if product and cleaned["kept"] not in (product.kept, per_hour(product.kept)):
            wrong = (
                "a liquid: say how many litres or gallons" if product.liquid else "no liquid: say how much it weighed"
            )
            raise ValidationError({"measure": f"{product} is {wrong}."})
        return cleaned


def _lot_words(system: str, lot: ProductLot) -> str:
    return f"{lot.product}, {lot}, {written(max(lot.left, 0.0), lot.product.kept, system)} left"


class DoneForm(AmountForm):
    """What was done about an action."""

    def __init__(self, action: Action, system: str, *args: Any, **kwargs: Any) -> None:
        super().__init__(action.team, system, *args, **kwargs)
        fields: dict[str, Any] = self.fields
        self.action = action
        amount = action.amount
        if amount is None:
            for name in ("amount", "measure"):
                del self.fields[name]
        else:
            measure = measure_for(amount, action.kept, system)  # type: ignore[arg-type]
            lots = fields["lot"].queryset.filter(product=action.product_id, left__gt=0)
            lot = lots.values_list("pk", flat=True).first()
            self.initial.update({"measure": measure, "product": action.product_id, "lot": lot})
            fields["measure"].choices = [(key, each.sign) for key, each in MEASURES.items() if each.kept == action.kept]
            self.fields["amount"].required = True
            self.fields["amount"].label = "How long" if action.kept == "min" else "How much"
            # As its title has it: of a product rounded down.
            proposed = figures(amount / MEASURES[measure].size, down=action.product_id is not None)
            self.fields["amount"].widget.attrs["placeholder"] = f"proposed: {proposed}"
        if action.product_id is None:
            for name in ("product", "lot"):
                del self.fields[name]
        if action.again_hours is None:
            del self.fields["again_at"]

    def clean(self) -> dict[str, Any]:
        """Keep an action's amount in what it is kept in."""
        cleaned = super().clean()
        if cleaned.get("kept") not in (None, self.action.kept):
            raise ValidationError({"measure": "This is another kind of amount than was proposed."})
        return cleaned


class NotedForm(AmountForm):
    """Something that was done and that nobody had proposed."""

    by_way = forms.ChoiceField(label="What was done", choices=_WAYS)
    title = forms.CharField(label="In words, where an amount does not say it", max_length=200, required=False)

    @property
    def way_words(self) -> str:
        """What was done, as it was chosen."""
        return dict(_WAYS)[self.cleaned_data["by_way"]]

    field_order = ("by_way", "title", "amount", "measure", "product", "lot", "at", "again_at", "remark", "despite")

    def clean(self) -> dict[str, Any]:
        """Something has to be said: an amount, or words."""
        cleaned = super().clean()
        if cleaned.get("amount") is None and not cleaned.get("title"):
            raise ValidationError({"title": "Say what was done, or how much."})
        return cleaned


class DecidedForm(forms.Form):
    """Whose decision it was."""

    on_word_of = forms.CharField(max_length=120, required=False)


class TickForm(forms.Form):
    """A step that is ticked off or on."""

    key = forms.CharField(max_length=40)
    done = forms.BooleanField(required=False)
    remark = forms.CharField(max_length=300, required=False)
