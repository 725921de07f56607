"""Forms about places."""

from typing import Any

from django import forms

from kessa.core.limits import rule_sets
from kessa.people.models import Team
from kessa.places.models import Place


class PlaceForm(forms.ModelForm):  # type: ignore[type-arg]
    """A place and the limits its results are judged by."""

    limit_sets = forms.MultipleChoiceField(
        label="Judge results by",
        choices=lambda: [(key, found.title) for key, found in rule_sets().items()],
        widget=forms.CheckboxSelectMultiple,
        required=False,
    )

    class Meta:
        model = Place
        fields = ["name", "how_to_find", "latitude", "longitude", "upstream", "sampling_depth_cm", "limit_sets"]
        labels = {
            "latitude": "Latitude, degrees",
            "longitude": "Longitude, degrees",
            "upstream": "Compare with this place upstream",
            "sampling_depth_cm": "Usual sampling depth, cm",
        }
        widgets = {"how_to_find": forms.Textarea(attrs={"rows": 3})}
        help_texts = {
            "latitude": "Between -90 and 90, such as 54.2163.",
            "longitude": "Between -180 and 180, such as -2.3107.",
            "sampling_depth_cm": "A hand's breadth to a forearm, 10 to 30 cm; in shallow water a third of the depth.",
        }

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.instance.team = team
        self.fields["upstream"].queryset = Place.objects.for_team(team).exclude(pk=self.instance.pk)
        self.fields["upstream"].empty_label = "none"

    def _get_validation_exclusions(self) -> set[str]:
        # The team is set here, not in the form: let the name be checked within it.
        return super()._get_validation_exclusions() - {"team"}
