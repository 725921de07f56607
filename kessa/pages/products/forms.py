"""Forms of products."""

from typing import Any, Literal

from django import forms

from kessa.core.quantities.parameters import parameters
from kessa.core.quantities.species import FORMS
from kessa.core.treating.amounts import METRIC, Kept, label_measure
from kessa.core.treating.mixing import held_by_products
from kessa.pages.base.number_field import NumberField
from kessa.pages.people.forms import TeamModelForm
from kessa.record.people.models import Team
from kessa.record.places.selectors import places
from kessa.record.products.models import Product, ProductLot

# What of a label is written in the reader's own measures.
_MEASURED: dict[str, Literal["dose", "density", "step"]] = {
    "label_per_m3": "dose", "most_per_m3": "dose", "density_kg_l": "density", "step": "step",
}  # fmt: skip
_UNITS = ("mg/L", "ug/L", "uS/cm", "drops", "%")


def _names() -> list[tuple[str, str]]:
    return [("", "nothing by number"), *((key, key) for key in sorted({each.key for each in parameters().values()}))]


class ProductForm(TeamModelForm):
    """A product as its label gives it."""

    parameter = forms.ChoiceField(label="The level of", choices=_names, required=False)
    active_form = forms.ChoiceField(
        label="% of what", choices=[("", "not given so"), *((key, key) for key in FORMS)], required=False
    )
    step_unit = forms.ChoiceField(label="In which unit", choices=[(unit, unit) for unit in _UNITS])
    step_form = forms.ChoiceField(
        label="Written as", choices=[("", "by itself"), *((key, key) for key in FORMS)], required=False
    )
    holds = forms.MultipleChoiceField(
        label="It holds", choices=lambda: list(held_by_products().items()), required=False,
        widget=forms.CheckboxSelectMultiple,
        help_text="By this Kessa says what it must never meet. Its safety data sheet says what it holds.",
    )  # fmt: skip

    places = forms.ModelMultipleChoiceField(
        label="Only for these systems", queryset=None, required=False, widget=forms.CheckboxSelectMultiple,
        help_text="None ticked: it may be proposed at every place.",
    )  # fmt: skip

    class Meta:
        model = Product
        fields = [
            "name", "supplier", "does", "parameter", "liquid", "active_percent", "active_form", "density_kg_l", "step",
            "step_unit", "step_form", "label_per_m3", "most_per_m3", "hours_between", "contact_hours", "most_level",
            "holds", "approved_for_drinking", "hazards", "never_with", "places",
        ]  # fmt: skip
        field_classes = dict.fromkeys(
            (
                "active_percent", "density_kg_l", "step", "label_per_m3", "most_per_m3", "hours_between", "most_level",
                "contact_hours",
            ),
            NumberField,
        )  # fmt: skip
        widgets = {name: forms.Textarea(attrs={"rows": 2}) for name in ("hazards", "never_with")}
        help_texts = {
            "active_percent": "Either the part by weight, with of what and the density, or what one dose changes.",
            "step": "As the label gives it: 1 L in 1000 L (a solid: 1 kg) raises, or lowers, the level by so much.",
            "contact_hours": "Of what kills bacteria: so long it stays in, the bleed shut.",
            "most_level": "In the unit of its strength; empty where the label gives none.",
            "never_with": "In the label's own words.",
        }

    def __init__(self, team: Team, *args: Any, system: str = METRIC, **kwargs: Any) -> None:
        super().__init__(team, *args, **kwargs)
        fields: dict[str, Any] = self.fields
        fields["places"].queryset = places(team)
        self.system = system
        for name, of in _MEASURED.items():
            known = getattr(self.instance, name)
            if known is not None:
                size = label_measure(of, self.instance.kept, system).size
                self.initial[name] = known if size == 1 else float(f"{known / size:.6g}")
        if system != METRIC:
            liquid, solid = (label_measure("dose", kept, system).words for kept in ("L", "kg"))
            gallon = label_measure("stock", "L", system).words
            fields["label_per_m3"].label = f"Usual dose, {liquid}; of a solid {solid}"
            fields["most_per_m3"].label = f"The most at once, {liquid}; of a solid {solid}"
            fields["density_kg_l"].label = f"Density, {label_measure('density', 'L', system).words}"
            fields["step"].label = f"One {gallon} (a solid: one lb) in 1000 {gallon} changes it by"
            fields["step"].help_text = "As the label gives it."

    def clean(self) -> dict[str, Any]:
        """Turn what was written in customary measures into what is kept; what nobody touched stays as it was."""
        cleaned: dict[str, Any] = super().clean() or {}
        kept: Kept = "L" if cleaned.get("liquid") else "kg"
        for name, of in _MEASURED.items():
            given, size = cleaned.get(name), label_measure(of, kept, self.system).size
            if given is None or size == 1:
                continue
            untouched = given == self.initial.get(name) and kept == self.instance.kept
            cleaned[name] = getattr(self.instance, name) if untouched else given * size
        return cleaned


class ProductLotForm(TeamModelForm):
    """A lot that came in."""

    amount = NumberField(label="How much", min_value=0, max_value=1_000_000)

    class Meta:
        model = ProductLot
        fields = ["number", "expires_on"]
        widgets = {"expires_on": forms.DateInput(attrs={"type": "date"}, format="%Y-%m-%d")}
        labels = {"expires_on": "Expires on"}

    def __init__(self, product: Product, system: str, *args: Any, **kwargs: Any) -> None:
        super().__init__(product.team, *args, **kwargs)
        self.instance.product = product
        self.measure = label_measure("stock", product.kept, system)
        self.fields["amount"].label = f"How much, {self.measure.words}"

    def clean_amount(self) -> float:
        """Return how much came in, in what it is kept in."""
        return float(self.cleaned_data["amount"]) * self.measure.size

    def _get_validation_exclusions(self) -> set[str]:
        return super()._get_validation_exclusions() - {"product"}


class LeftForm(forms.Form):
    """How much was counted."""

    left = NumberField(label="Counted", min_value=0, max_value=1_000_000)
