"""Forms about samples and the labels of their bottles."""

from collections.abc import Iterable
from typing import Any

from django import forms
from django.utils import timezone

from kessa.core.job.schools import depth_cm
from kessa.core.job.ways import Way
from kessa.core.judging.plausible import can_be
from kessa.core.quantities.units import can_be as can_be_in
from kessa.pages.base.number_field import DecimalNumberField
from kessa.pages.base.once_form import OnceForm
from kessa.record.people.models import Team, User
from kessa.record.people.selectors import members
from kessa.record.places.models import Place
from kessa.record.places.selectors import places
from kessa.record.rules.selectors import house_rules
from kessa.record.visits.models import NOT_KNOWN, Bottle, Sample
from kessa.record.visits.noted import untimely


class _DrawnForm(forms.Form):
    """What is noted of a sample: when, how deep and by whom it was drawn, and how warm it was."""

    drawn_at = forms.DateTimeField(
        label="Drawn",
        widget=forms.DateTimeInput(attrs={"type": "datetime-local"}, format="%Y-%m-%dT%H:%M"),
    )
    depth_cm = DecimalNumberField(
        label="Depth, cm", unit="cm", required=False, min_value=0, max_value=10000, decimal_places=1, max_digits=6
    )
    drawn_by = forms.ModelChoiceField(label="Drawn by", queryset=User.objects.none(), empty_label=None)
    water_temperature_c = DecimalNumberField(
        label="Water temperature, °C",
        unit="°C",
        required=False,
        min_value=can_be_in("degC")[0],
        max_value=can_be_in("degC")[1],
        decimal_places=1,
        max_digits=4,
    )

    def clean_drawn_at(self) -> Any:
        """Refuse a time to come, and one so old that it must be a slip."""
        if wrong := untimely(self.cleaned_data["drawn_at"], timezone.now()):
            raise forms.ValidationError(wrong)
        return self.cleaned_data["drawn_at"]


class SampleForm(_DrawnForm, OnceForm):
    """When, how deep and by whom water was drawn, and how warm it was."""

    way = forms.ChoiceField(required=False, widget=forms.HiddenInput)
    # Asked for only where the temperature can hardly be.
    sure = forms.BooleanField(label="The temperature is right", required=False, widget=forms.HiddenInput)
    bottle = forms.ModelChoiceField(label="Bottle", queryset=None, required=False, empty_label="no label")

    def __init__(self, place: Place, person: User, ways: Iterable[Way], *args: Any, **kwargs: Any) -> None:
        now = timezone.localtime().replace(second=0, microsecond=0)
        depth = depth_cm(house_rules(place.team_id).chosen, place.sampling_depth_cm)
        usual = {"drawn_at": now, "depth_cm": depth, "drawn_by": person}
        kwargs["initial"] = usual | kwargs.get("initial", {})
        super().__init__(*args, **kwargs)
        fields: dict[str, Any] = self.fields
        fields["way"].choices = [("", "not said"), *((way.key, way.name) for way in ways)]
        bottles = Bottle.objects.for_team(place.team_id).filter(place=place, sample=None).order_by("number")
        fields["bottle"].queryset = bottles
        if not bottles.exists() and not self.data.get("bottle"):
            del self.fields["bottle"]
        fields["drawn_by"].queryset = members(place.team)
        if not place.kind.has_depth:
            del self.fields["depth_cm"]
        self.water = place.water
        self.hot_above = place.kind.drawn_below_c
        warm = self.fields["water_temperature_c"]
        warm.required = self.hot_above is not None
        warm.help_text = "In the water itself, read when steady. Leave empty if not taken."
        self.too_hot = ""
        if self.hot_above is not None:
            self.too_hot = (
                f"Too hot to draw: shut the sample valve, let the cooler's water run, and draw again below "
                f"{self.hot_above:g} °C. Where it does not cool, not this time: tell the competent person."
            )
            warm.help_text = f"By thermometer, in the stream: below {self.hot_above:g} °C before it is drawn."
            warm.error_messages["required"] = "Read it in the stream, not by hand: this water may be hot."

    def clean_water_temperature_c(self) -> Any:
        """Refuse water that scalds: it was not drawn through its cooler, or that is not running."""
        warm = self.cleaned_data["water_temperature_c"]
        if warm is not None and self.hot_above is not None and warm >= self.hot_above:
            raise forms.ValidationError(self.too_hot)
        return warm

    def clean(self) -> dict[str, Any]:
        """Ask about a temperature that such water can hardly have."""
        cleaned: dict[str, Any] = super().clean() or {}
        warm = cleaned.get("water_temperature_c")
        if warm is not None and not can_be("temperature", float(warm), self.water) and not cleaned.get("sure"):
            self.fields["sure"].widget = forms.CheckboxInput()
            words = f"{warm} °C? That can hardly be here. Look at the thermometer again; if it is right, tick below."
            self.add_error("water_temperature_c", words)
        return cleaned


class LabelsForm(forms.Form):
    """The places to label bottles for."""

    most = 40
    place = forms.ModelMultipleChoiceField(queryset=None)

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        fields: dict[str, Any] = self.fields
        fields["place"].queryset = places(team)

    def clean_place(self) -> Any:
        """Refuse more labels than two sheets hold."""
        chosen = self.cleaned_data["place"]
        if len(chosen) > self.most:
            raise forms.ValidationError(f"At most {self.most} at once.")
        return chosen


class BottlesForm(forms.Form):
    """The bottles whose labels are printed."""

    bottle = forms.ModelMultipleChoiceField(queryset=None)

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        fields: dict[str, Any] = self.fields
        fields["bottle"].queryset = Bottle.objects.for_team(team).select_related("place").order_by("-number")


class SampleRightForm(_DrawnForm):
    """What was noted of a sample, as it should have been, and why."""

    field_order = ("drawn_at", "drawn_by")
    why = forms.CharField(label="Why", max_length=300)

    def __init__(self, sample: Sample, *args: Any, **kwargs: Any) -> None:
        names = ("drawn_by", "depth_cm", "water_temperature_c")
        drawn_at = timezone.localtime(sample.drawn_at).replace(microsecond=0)
        kwargs["initial"] = {name: getattr(sample, name) for name in names} | {"drawn_at": drawn_at}
        super().__init__(*args, **kwargs)
        fields: dict[str, Any] = self.fields
        self.sample = sample
        fields["drawn_by"].queryset = members(sample.team_id)
        if sample.drawn_by_id is None:
            fields["drawn_by"].required, fields["drawn_by"].empty_label = False, NOT_KNOWN

    def clean_drawn_at(self) -> Any:
        """Keep the seconds that nobody saw as they were."""
        drawn_at = super().clean_drawn_at()
        same_minute = drawn_at == self.sample.drawn_at.replace(second=0, microsecond=0)
        return self.sample.drawn_at if same_minute else drawn_at

    def changed(self) -> dict[str, Any]:
        """Return what differs from what was noted."""
        data = {name: value for name, value in self.cleaned_data.items() if name != "why"}
        return {name: value for name, value in data.items() if value != getattr(self.sample, name)}
