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
        fields = [
            "name",
            "how_to_find",
            "access",
            "hazards",
            "local_rules",
            "latitude",
            "longitude",
            "elevation_m",
            "upstream",
            "sampling_depth_cm",
            "limit_sets",
        ]
        labels = {
            "latitude": "Latitude, degrees",
            "longitude": "Longitude, degrees",
            "elevation_m": "Height above the sea, m",
            "upstream": "Compare with this place upstream",
            "sampling_depth_cm": "Usual sampling depth, cm",
        }
        widgets = {
            name: forms.Textarea(attrs={"rows": 2}) for name in ("how_to_find", "access", "hazards", "local_rules")
        }
        help_texts = {
            "latitude": "Between -90 and 90, such as 54.2163.",
            "hazards": "Said at every visit: current, ice, dogs, heat, pressure, chemicals.",
            "local_rules": "Permits, ice and flood rules, isolation, where waste may go.",
            "longitude": "Between -180 and 180, such as -2.3107.",
            "sampling_depth_cm": "A hand's breadth to a forearm, 10 to 30 cm; in shallow water a third of the depth.",
        }

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.instance.team = team
        kind = self.instance.kind
        if not kind.has_depth:
            # Upstream and a depth below the surface are of a stream.
            del self.fields["upstream"], self.fields["sampling_depth_cm"]
        for fact in kind.facts:
            self.fields[f"fact_{fact.name}"] = fact.field()
            self.initial[f"fact_{fact.name}"] = self.instance.facts.get(fact.name)
        if "upstream" in self.fields:
            waters = Place.objects.for_team(team).filter(kind_key=kind.key).exclude(pk=self.instance.pk)
            self.fields["upstream"].queryset = waters
            self.fields["upstream"].empty_label = "none"

    def clean(self) -> dict[str, Any]:
        """Gather the facts of the kind."""
        cleaned: dict[str, Any] = super().clean()
        names = [fact.name for fact in self.instance.kind.facts]
        self.instance.facts = {name: cleaned.get(f"fact_{name}") for name in names}
        return cleaned

    def _get_validation_exclusions(self) -> set[str]:
        # The team is set here, not in the form: let the name be checked within it.
        return super()._get_validation_exclusions() - {"team"}
