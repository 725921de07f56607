"""Forms of the bench."""

from typing import Any

from django import forms

from kessa.core.dilution import FACTORS
from kessa.kits.models import Instrument, Kit
from kessa.people.models import Team


def _dilutions(none: str = "") -> list[tuple[Any, str]]:
    factors = [(f"{factor:g}", f"1 in {factor:g}") for factor in FACTORS]
    return [("", none), *factors] if none else factors


class ReasonForm(forms.Form):
    """Why a closed determination is opened again or set aside."""

    reason = forms.CharField(label="Reason", max_length=300)


class BeginForm(forms.Form):
    """By which method to begin, and from which kit, or from which lot of reagent where no kit is kept."""

    method = forms.CharField(max_length=60)
    kit = forms.ModelChoiceField(label="From which kit", queryset=None, required=False, empty_label="another kit")
    lot = forms.CharField(label="Lot number on the bottle, if you have it", max_length=40, required=False)

    instrument = forms.ModelChoiceField(
        label="By which instrument", queryset=None, required=False, empty_label="another instrument"
    )
    dilution = forms.TypedChoiceField(
        label="Diluted before the test",
        coerce=float,
        required=False,
        empty_value=1.0,
        choices=_dilutions("not diluted"),
    )

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["kit"].queryset = Kit.objects.for_team(team)
        self.fields["instrument"].queryset = Instrument.objects.for_team(team)


class DilutionForm(forms.Form):
    """How far to dilute: parts of the whole in one part of sample."""

    dilution = forms.TypedChoiceField(coerce=float, required=False, empty_value=None, choices=_dilutions())


class EstimateForm(forms.Form):
    """What the sample may hold, by a strip or by experience, and how much diluted sample is wanted."""

    estimate = forms.FloatField(min_value=0, max_value=1e9)
    make_ml = forms.FloatField(min_value=1, max_value=10_000, initial=50, required=False)
