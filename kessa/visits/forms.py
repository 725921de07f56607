"""Forms about samples."""

from datetime import timedelta
from typing import Any

from django import forms
from django.utils import timezone

from kessa.people.models import User
from kessa.people.selectors import members
from kessa.places.models import Place

_CLOCK_SKEW = timedelta(minutes=5)
_OLDEST = timedelta(days=366)


class SampleForm(forms.Form):
    """When, how deep and by whom water was drawn, and how warm it was."""

    drawn_at = forms.DateTimeField(
        label="Drawn",
        widget=forms.DateTimeInput(attrs={"type": "datetime-local"}, format="%Y-%m-%dT%H:%M"),
    )
    depth_cm = forms.DecimalField(
        label="Depth, cm", required=False, min_value=0, max_value=10000, decimal_places=1, max_digits=6
    )
    drawn_by = forms.ModelChoiceField(label="Drawn by", queryset=User.objects.none(), empty_label=None)
    water_temperature_c = forms.DecimalField(
        label="Water temperature, °C", required=False, min_value=-5, max_value=100, decimal_places=1, max_digits=4
    )

    def __init__(self, place: Place, person: User, *args: Any, **kwargs: Any) -> None:
        now = timezone.localtime().replace(second=0, microsecond=0)
        kwargs["initial"] = {"drawn_at": now, "depth_cm": place.sampling_depth_cm, "drawn_by": person}
        super().__init__(*args, **kwargs)
        self.fields["drawn_by"].queryset = members(place.team)
        if not place.kind.has_depth:
            del self.fields["depth_cm"]
        self.fields[
            "water_temperature_c"
        ].help_text = "In the water itself, read when steady. Leave empty if not taken."

    def clean_drawn_at(self) -> Any:
        """Refuse a time to come, and one so old that it must be a slip."""
        drawn_at = self.cleaned_data["drawn_at"]
        if drawn_at > timezone.now() + _CLOCK_SKEW:
            raise forms.ValidationError("This time is still to come. When was the sample drawn?")
        if drawn_at < timezone.now() - _OLDEST:
            raise forms.ValidationError("This is more than a year ago. Check the date.")
        return drawn_at
