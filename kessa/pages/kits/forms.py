"""Forms of kits."""

from typing import Any

from django import forms
from django.utils import timezone

from kessa.core.job.supplies import supplies
from kessa.pages.base.number_field import NumberField
from kessa.pages.people.forms import TeamModelForm
from kessa.record.kits.models import Kit, Lot
from kessa.record.methods.selectors import families_of
from kessa.record.people.models import Team

_DAY = {"type": "date"}


def _day_widget() -> forms.DateInput:
    return forms.DateInput(attrs=_DAY, format="%Y-%m-%d")


class KitForm(TeamModelForm):
    """A kit, where it is kept and which tests it serves."""

    families = forms.MultipleChoiceField(
        label="Tests it serves",
        widget=forms.CheckboxSelectMultiple,
        required=False,
    )

    class Meta:
        model = Kit
        fields = ["name", "home", "families"]

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(team, *args, **kwargs)
        fields: dict[str, Any] = self.fields
        tests = families_of(team.pk).items()
        fields["families"].choices = [(key, first.test_name) for key, (first, *_) in tests]


class LotForm(TeamModelForm):
    """A lot that came in."""

    supply_key = forms.ChoiceField(
        label="Of what",
        choices=lambda: [
            (key, f"{supply.name}, in {supply.unit}") for key, supply in supplies().items() if supply.has_lots
        ],
    )
    units = NumberField(label="How many units", min_value=0, max_value=1_000_000)

    class Meta:
        model = Lot
        fields = ["supply_key", "number", "expires_on", "opened_on", "keeps_opened_days"]
        widgets = {"expires_on": _day_widget(), "opened_on": _day_widget()}
        labels = {
            "expires_on": "Expires on",
            "opened_on": "Opened on, if it is open",
            "keeps_opened_days": "Days it keeps once opened, where its label says",
        }

    def __init__(self, kit: Kit, *args: Any, **kwargs: Any) -> None:
        super().__init__(kit.team, *args, **kwargs)
        self.instance.kit = kit

    def clean_opened_on(self) -> Any:
        """Refuse a day to come."""
        opened_on = self.cleaned_data["opened_on"]
        if opened_on and opened_on > timezone.localdate():
            raise forms.ValidationError("This day is still to come.")
        return opened_on

    def _get_validation_exclusions(self) -> set[str]:
        return super()._get_validation_exclusions() - {"kit"}


class WeightForm(forms.Form):
    """What 20 drops weigh."""

    grams_of_20 = NumberField(label="20 drops weigh, in g", min_value=0.01, max_value=100)


class UnitsForm(forms.Form):
    """How many units were counted."""

    units = NumberField(label="Counted units", min_value=0, max_value=1_000_000)
