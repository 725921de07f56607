"""Forms of the bench."""

from typing import Any

from django import forms

from kessa.core.planning.dilution import FACTORS
from kessa.pages.base.number_field import NumberField
from kessa.pages.base.once_form import OnceForm
from kessa.pages.base.select import PlainSelect
from kessa.record.determinations.models import Purpose
from kessa.record.instruments.models import Instrument
from kessa.record.kits.models import Kit
from kessa.record.people.models import Team


def _dilutions(none: str = "") -> list[tuple[Any, str]]:
    factors = [(f"{factor:g}", f"1 in {factor:g}") for factor in FACTORS]
    return [("", none), *factors] if none else factors


class BeginForm(OnceForm):
    """By which method to begin, and from which kit, or from which lot of reagent where no kit is kept."""

    method = forms.CharField(max_length=60)
    kit = forms.ModelChoiceField(label="From which kit", queryset=None, required=False, empty_label="another kit")
    lots = forms.CharField(max_length=500, required=False)
    lot = forms.CharField(label="Lot number on the bottle, if you have it", max_length=40, required=False)

    instrument = forms.ModelChoiceField(
        label="By which instrument", queryset=None, required=False, empty_label="another instrument"
    )
    dilution = forms.TypedChoiceField(
        label="Diluted before the test",
        coerce=float,
        required=False,
        empty_value=1.0,  # type: ignore[arg-type] # what it is coerced to
        choices=_dilutions("not diluted"),
        widget=PlainSelect,
    )

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        fields: dict[str, Any] = self.fields
        fields["kit"].queryset = Kit.objects.for_team(team)
        fields["instrument"].queryset = Instrument.objects.for_team(team)

    def said(self) -> dict[str, Any]:
        """What the person saw and chose, as the first tap of a test says it."""
        chosen = self.cleaned_data
        seen = [int(each) for each in chosen["lots"].split(",") if each.isdigit()]
        return {
            "method": chosen["method"],
            "kit": chosen["kit"].pk if chosen["kit"] else None,
            "lots": seen,
            "lot": chosen["lot"],
            "instrument": chosen["instrument"].pk if chosen["instrument"] else None,
            "dilution": chosen["dilution"],
        }


class DilutionForm(forms.Form):
    """How far to dilute: parts of the whole in one part of sample."""

    choices = _dilutions()
    dilution = forms.TypedChoiceField(coerce=float, required=False, empty_value=None, choices=choices)


class EstimateForm(forms.Form):
    """What the sample may hold, by a strip or by experience, and how much diluted sample is wanted."""

    estimate = NumberField(min_value=0, max_value=1e9)
    make_ml = NumberField(min_value=1, max_value=10_000, initial=50, required=False)


class CheckForm(OnceForm):
    """A blank or a standard: of a standard its stock, what is wanted of it, and how finely one can measure out."""

    purpose = forms.ChoiceField(
        label="Which check",
        choices=[(Purpose.BLANK, "A blank with deionised water"), (Purpose.STANDARD, "A standard")],
        widget=forms.RadioSelect,
        initial=Purpose.STANDARD,
    )
    stock = NumberField(label="Strength of the stock", min_value=1e-9, max_value=1e9, required=False)
    want = NumberField(label="Strength wanted", min_value=1e-9, max_value=1e9, required=False)
    make_ml = NumberField(label="Make how much, mL", min_value=0.1, max_value=10_000, required=False, initial=100)
    smallest_ml = NumberField(
        label="Least volume your pipette measures well, mL", min_value=0.001, max_value=1000, required=False, initial=1
    )
    kit = forms.ModelChoiceField(label="From which kit", queryset=None, required=False, empty_label="no kit")
    instrument = forms.ModelChoiceField(label="By which instrument", queryset=None, required=False, empty_label="none")

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        fields: dict[str, Any] = self.fields
        fields["kit"].queryset = Kit.objects.for_team(team)
        fields["instrument"].queryset = Instrument.objects.for_team(team)

    def clean(self) -> dict[str, Any]:
        """A standard needs all of its numbers."""
        cleaned: dict[str, Any] = super().clean() or {}
        if cleaned.get("purpose") == Purpose.STANDARD:
            for name in ("stock", "want", "make_ml", "smallest_ml"):
                if cleaned.get(name) is None and name not in self.errors:
                    self.add_error(name, "A standard needs this.")
        return cleaned

    @property
    def made_from(self) -> dict[str, float]:
        """What the plan of a standard is worked out from."""
        return {name: self.cleaned_data[name] for name in ("stock", "want", "make_ml", "smallest_ml")}


class SpikeForm(OnceForm):
    """What is added to how much of a sample."""

    sample_ml = NumberField(min_value=0.01, max_value=10_000)
    added_ml = NumberField(min_value=0.001, max_value=1000)
    added_strength = NumberField(min_value=1e-9, max_value=1e9)
