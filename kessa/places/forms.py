"""Forms about places."""

from typing import Any

from django import forms

from kessa.core.job.place_kinds import Fact
from kessa.core.job.ways import ways_for
from kessa.core.judging.limits import rule_sets
from kessa.people.forms import TeamModelForm
from kessa.people.models import Team
from kessa.places.fields import PlaceField
from kessa.places.models import Pair, PairKind, Place


def _asked_for(fact: Fact) -> forms.Field:
    """Return the form field that asks for a fact of a kind of place."""
    label = f"{fact.label}, {fact.unit}" if fact.unit else fact.label
    if fact.least is None:
        return forms.CharField(label=label, max_length=200, required=False)
    number = forms.IntegerField if fact.whole else forms.FloatField
    return number(label=label, min_value=fact.least, max_value=fact.most, required=False)


class PlaceForm(TeamModelForm):
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
            "usual_way",
            "sampling_depth_cm",
            "limit_sets",
        ]
        labels = {
            "latitude": "Latitude, degrees",
            "longitude": "Longitude, degrees",
            "elevation_m": "Height above the sea, m",
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
        super().__init__(team, *args, **kwargs)
        kind = self.instance.kind
        if not kind.has_depth:
            del self.fields["sampling_depth_cm"]
        ways = [(way.key, way.name) for way in ways_for(kind.key)]
        self.fields["usual_way"] = forms.ChoiceField(
            label="Usual way to draw a sample", choices=[("", "not settled"), *ways], required=False
        )
        for fact in kind.facts:
            self.fields[f"fact_{fact.name}"] = _asked_for(fact)
            self.initial[f"fact_{fact.name}"] = self.instance.facts.get(fact.name)

    def clean(self) -> dict[str, Any]:
        """Gather the facts of the kind."""
        cleaned: dict[str, Any] = super().clean()
        names = [fact.name for fact in self.instance.kind.facts]
        self.instance.facts = {name: cleaned.get(f"fact_{name}") for name in names}
        return cleaned


class PairForm(forms.Form):
    """What this place is in a pair, and the place it is compared with."""

    role = forms.ChoiceField(
        label="This place is the",
        choices=[(f"{kind.value} {end}", name) for kind in PairKind for end, name in enumerate(kind.ends)],
    )
    other = PlaceField(label="the other end is", queryset=None, empty_label=None)

    def __init__(self, place: Place, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.place = place
        self.fields["other"].choose_from(place.team_id, but=place.pk)

    def clean(self) -> dict[str, Any]:
        """Put the two places in the pair's order."""
        cleaned: dict[str, Any] = super().clean()
        if "role" in cleaned and "other" in cleaned:
            kind, end = cleaned["role"].split()
            ends = (self.place, cleaned["other"]) if end == "0" else (cleaned["other"], self.place)
            self.pair = Pair(team=self.place.team, kind=kind, first=ends[0], second=ends[1])
        return cleaned
