"""Forms of kits."""

from typing import Any

from django import forms
from django.utils import timezone

from kessa.core.job.supplies import supplies
from kessa.kits.instruments import measured_by_instruments
from kessa.kits.models import Instrument, InstrumentCheck, Kit, Lot
from kessa.methods.selectors import families_of
from kessa.people.forms import TeamModelForm
from kessa.people.models import Team
from kessa.rounds.models import Stop

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
        tests = families_of(team.pk).items()
        self.fields["families"].choices = [(key, first.test_name) for key, (first, *_) in tests]


class LotForm(TeamModelForm):
    """A lot that came in."""

    supply_key = forms.ChoiceField(
        label="Of what",
        choices=lambda: [
            (key, f"{supply.name}, in {supply.unit}") for key, supply in supplies().items() if supply.has_lots
        ],
    )
    units = forms.FloatField(label="How many units", min_value=0, max_value=1_000_000)

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


class UnitsForm(forms.Form):
    """How many units were counted."""

    units = forms.FloatField(label="Counted units", min_value=0, max_value=1_000_000)


class WhyForm(forms.Form):
    """Why a lot is put away."""

    why = forms.CharField(label="Why", max_length=120)


class InstrumentForm(TeamModelForm):
    """An instrument, what it measures and how often it is checked."""

    measures = forms.ChoiceField(
        choices=lambda: [(key, measured.label) for key, measured in measured_by_instruments().items()]
    )

    class Meta:
        model = Instrument
        fields = ["name", "serial", "measures", "resolution", "kit", "check_every_days", "calibration_due"]
        widgets = {"calibration_due": _day_widget()}
        labels = {
            "resolution": "Smallest step of its display, in the unit of what it measures",
            "kit": "In which kit",
        }

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(team, *args, **kwargs)
        self.fields["kit"].queryset = Kit.objects.for_team(team)
        self.fields["kit"].empty_label = "none"
        self.fields["resolution"].widget.attrs["step"] = "any"

    def clean(self) -> dict[str, Any]:
        """Take the unit of what it measures."""
        cleaned: dict[str, Any] = super().clean()
        if "measures" in cleaned:
            self.instance.unit = measured_by_instruments()[cleaned["measures"]].unit
        return cleaned


class PackForm(forms.Form):
    """The stops one packs for, and the kit one takes."""

    stop = forms.ModelMultipleChoiceField(queryset=None)
    kit = forms.ModelChoiceField(queryset=None)

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["stop"].queryset = Stop.objects.for_team(team)
        self.fields["kit"].queryset = Kit.objects.for_team(team)


class CheckForm(forms.ModelForm):  # type: ignore[type-arg]
    """What an instrument read of a standard."""

    class Meta:
        model = InstrumentCheck
        fields = ["standard", "expected", "allowed", "reading"]
        labels = {
            "standard": "Standard, sealed or made up",
            "expected": "Its value",
            "allowed": "Allowed difference",
            "reading": "What the instrument read",
        }

    def clean(self) -> dict[str, Any]:
        """Refuse numbers that no instrument shows."""
        cleaned: dict[str, Any] = super().clean()
        for name in ("expected", "allowed", "reading"):
            number = cleaned.get(name)
            if number is not None and abs(number) > 1e9:
                self.add_error(name, "This number is out of any range.")
        if (cleaned.get("allowed") or 0) < 0:
            self.add_error("allowed", "A difference of 0 or more.")
        return cleaned
