"""Forms of the bench."""

from typing import Any

from django import forms

from kessa.kits.models import Kit
from kessa.people.models import Team


class ReasonForm(forms.Form):
    """Why a closed determination is opened again or set aside."""

    reason = forms.CharField(label="Reason", max_length=300)


class BeginForm(forms.Form):
    """By which method to begin, and from which kit, or from which lot of reagent where no kit is kept."""

    method = forms.CharField(max_length=60)
    kit = forms.ModelChoiceField(label="From which kit", queryset=None, required=False, empty_label="another kit")
    lot = forms.CharField(label="Lot number on the bottle, if you have it", max_length=40, required=False)

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["kit"].queryset = Kit.objects.for_team(team)


class DilutionForm(forms.Form):
    """How far to dilute: parts of the whole in one part of sample."""

    dilution = forms.TypedChoiceField(
        coerce=float,
        required=False,
        empty_value=None,
        choices=[(2, "1 in 2"), (5, "1 in 5"), (10, "1 in 10"), (20, "1 in 20"), (50, "1 in 50"), (100, "1 in 100")],
    )
