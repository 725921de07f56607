"""Forms of instruments."""

from typing import Any

from django import forms

from kessa.core.adapters import ADAPTERS
from kessa.core.errors import CannotCompute
from kessa.instruments.measured import measured_by_instruments
from kessa.instruments.models import Instrument, InstrumentCheck
from kessa.kits.models import Kit
from kessa.people.forms import TeamModelForm
from kessa.people.models import Team


class InstrumentForm(TeamModelForm):
    """An instrument, what it measures and how often it is checked."""

    measures = forms.ChoiceField(
        choices=lambda: [(key, measured.label) for key, measured in measured_by_instruments().items()]
    )

    class Meta:
        model = Instrument
        fields = ["name", "serial", "measures", "resolution", "kit", "check_every_days", "calibration_due"]
        widgets = {"calibration_due": forms.DateInput(attrs={"type": "date"}, format="%Y-%m-%d")}
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


class MemoryForm(forms.Form):
    """An instrument's memory, as a file."""

    speaks = forms.ChoiceField(label="It writes like", choices=lambda: [(key, key) for key in ADAPTERS])
    file = forms.FileField(label="Its file")

    def clean(self) -> dict[str, Any]:
        """Read the file, line by line."""
        said: dict[str, Any] = super().clean() or {}
        if said.get("file") and said.get("speaks"):
            try:
                lines = said["file"].read().decode("utf-8-sig").splitlines()
                said["shown"] = ADAPTERS[said["speaks"]].read_all(lines)
            except UnicodeDecodeError:
                self.add_error("file", "This is no text.")
            except CannotCompute as fault:
                self.add_error("file", fault.message)
        return said
