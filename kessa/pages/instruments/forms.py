"""Forms of instruments."""

from typing import Any

from django import forms

from kessa.core.adapters import ADAPTERS
from kessa.core.errors import CannotCompute
from kessa.pages.base.number_field import NumberField
from kessa.pages.people.forms import TeamModelForm
from kessa.record.instruments.measured import measured_by_instruments
from kessa.record.instruments.models import Instrument, InstrumentCheck, ReceivedReading
from kessa.record.kits.models import Kit
from kessa.record.people.models import Team


class InstrumentForm(TeamModelForm):
    """An instrument, what it measures and how often it is checked."""

    measures = forms.ChoiceField(
        choices=lambda: [(key, measured.label) for key, measured in measured_by_instruments().items()]
    )

    class Meta:
        model = Instrument
        fields = [
            "name",
            "serial",
            "measures",
            "resolution",
            "kit",
            "check_every_days",
            "calibration_due",
            "calibrate_every_days",
            "calibrate_every_uses",
        ]
        field_classes = {"resolution": NumberField}
        widgets = {"calibration_due": forms.DateInput(attrs={"type": "date"}, format="%Y-%m-%d")}
        labels = {
            "resolution": "Smallest step of its display, in the unit of what it measures",
            "kit": "In which kit",
        }

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(team, *args, **kwargs)
        fields: dict[str, Any] = self.fields
        fields["kit"].queryset = Kit.objects.for_team(team)
        fields["kit"].empty_label = "none"
        self.fields["resolution"].widget.attrs["step"] = "any"

    def clean(self) -> dict[str, Any]:
        """Take the unit of what it measures."""
        cleaned: dict[str, Any] = super().clean() or {}
        if "measures" in cleaned:
            self.instance.unit = measured_by_instruments()[cleaned["measures"]].unit
        return cleaned


class CheckForm(forms.ModelForm):  # type: ignore[type-arg]
    """What an instrument read of a standard."""

    class Meta:
        model = InstrumentCheck
        fields = ["standard", "expected", "allowed", "reading"]
        field_classes = dict.fromkeys(("expected", "allowed", "reading"), NumberField)
        labels = {
            "standard": "Standard, sealed or made up",
            "expected": "Its value",
            "allowed": "Allowed difference",
            "reading": "What the instrument read",
        }

    def clean(self) -> dict[str, Any]:
        """Refuse numbers that no instrument shows."""
        cleaned: dict[str, Any] = super().clean() or {}
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
        data: dict[str, Any] = super().clean() or {}
        if data.get("file") and data.get("speaks"):
            try:
                lines = data["file"].read().decode("utf-8-sig").splitlines()
                data["shown"] = ADAPTERS[data["speaks"]].read_all(lines)
            except UnicodeDecodeError:
                self.add_error("file", "This is no text.")
            except CannotCompute as fault:
                self.add_error("file", fault.message)
        return data


class _Calibrating(forms.Form):
    """What every calibration asks; `given` is how the core takes it."""

    lots = forms.CharField(label="Lots of the standards", max_length=120, required=False)

    @property
    def given(self) -> dict[str, Any]:
        """Return what was said, as the core takes it."""
        return dict(self.cleaned_data)

    @classmethod
    def taken(cls, shown: ReceivedReading) -> dict[str, Any]:
        """Return what the fields are filled with where a reading is taken over; nothing where it tells them nothing."""
        return {} if shown.over else {"shown": shown.display, "temperature_c": shown.temperature_c}


class _Points(_Calibrating):
    """Pairs of a standard and what is shown of it, a line each."""

    points = forms.CharField(widget=forms.Textarea(attrs={"rows": 6, "class": "num"}), max_length=2000)

    def clean_points(self) -> list[tuple[float, float]]:
        """Read the lines."""
        found = []
        for number, line in enumerate(self.cleaned_data["points"].splitlines(), 1):
            fields = line.replace(";", " ").split()
            if not fields:
                continue
            try:
                first, second = (float(each.replace(",", ".")) for each in fields)
            except ValueError:
                raise forms.ValidationError(f"Line {number}: write two numbers, such as 4.01 171.") from None
            if not (abs(first) < 1e6 and abs(second) < 1e6):
                raise forms.ValidationError(f"Line {number}: out of any range.")
            found.append((first, second))
        return found


class PhCalibrationForm(_Points):
    """Two or three buffers."""

    temperature_c = NumberField(label="Temperature of the buffers, °C", min_value=0, max_value=60)

    field_order = ["points", "temperature_c", "lots"]

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["points"].label = "Buffers: pH and mV, a line each"
        self.fields["points"].help_text = "The buffer's pH at this temperature, as its bottle says; two or three."

    @classmethod
    def taken(cls, shown: ReceivedReading) -> dict[str, Any]:
        """Return the voltage, to stand beside a buffer's pH."""
        voltage, _, unit = shown.what.partition(" ")
        return {"points": voltage, "temperature_c": shown.temperature_c} if unit == "mV" else {}


class ConductivityCalibrationForm(_Calibrating):
    """One standard."""

    standard = NumberField(label="Standard, µS/cm at 25 °C", min_value=0)
    shown = NumberField(label="What the meter shows in it, µS/cm", min_value=0)
    constant = NumberField(label="The cell's constant before, 1/cm", initial=1.0, min_value=0)
    temperature_c = NumberField(label="Temperature of the standard, °C", initial=25.0)
    compensated = forms.BooleanField(label="The meter brings it to 25 °C itself", initial=True, required=False)

    field_order = ["standard", "shown", "temperature_c", "compensated", "constant", "lots"]


class OxygenCalibrationForm(_Calibrating):
    """Saturated air."""

    shown = NumberField(label="What the probe shows in saturated air, mg/L", min_value=0)
    temperature_c = NumberField(label="Temperature, °C")
    pressure_kpa = NumberField(label="Air pressure there, kPa", initial=101.3)

    field_order = ["shown", "temperature_c", "pressure_kpa", "lots"]


class LineCalibrationForm(_Points):
    """Standards of several strengths."""

    field_order = ["points", "lots"]

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["points"].label = "Standards: strength and absorbance, a line each"
        self.fields["points"].help_text = "The zero too; four at least, of three strengths or more."

    @classmethod
    def taken(cls, shown: ReceivedReading) -> dict[str, Any]:
        """Return nothing: a display of strength is no absorbance."""
        return {}


CALIBRATION_FORMS: dict[str, type[_Calibrating]] = {
    "ph": PhCalibrationForm,
    "conductivity": ConductivityCalibrationForm,
    "oxygen": OxygenCalibrationForm,
    "line": LineCalibrationForm,
}
