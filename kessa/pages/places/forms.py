"""Forms about places."""

from typing import Any

from django import forms

from kessa.core.job.feeds import feeds_of
from kessa.core.job.place_kinds import Fact, measure_of
from kessa.core.job.ways import ways_for
from kessa.core.judging.limits import proposed_sets, unfitting
from kessa.pages.base.number_field import NumberField
from kessa.pages.people.forms import TeamModelForm
from kessa.pages.places.fields import PlaceField
from kessa.record.people.models import Team
from kessa.record.places.models import Pair, PairKind, Place
from kessa.record.rules.selectors import is_own, known_sets


def _asked_for(fact: Fact, system: str) -> forms.Field:
    """Return the form field that asks for a fact of a kind of place, in the measures of a system."""
    measure = measure_of(fact.unit, system)
    label = f"{fact.label}, {measure.unit}" if measure.unit else fact.label
    if fact.least is None:
        return forms.CharField(label=label, max_length=200, required=False)
    number: Any = forms.IntegerField if fact.whole else NumberField
    least, most = (None if end is None else measure.written(end) for end in (fact.least, fact.most))
    return number(label=label, min_value=least, max_value=most, required=False)


class PlaceForm(TeamModelForm):
    """A place and the limits its results are judged by."""

    feeds = forms.MultipleChoiceField(
        label="What the water is used for or runs through", widget=forms.CheckboxSelectMultiple, required=False
    )
    limit_sets = forms.MultipleChoiceField(
        label="Judge results by",
        widget=forms.CheckboxSelectMultiple,
        required=False,
        help_text="Leave it empty, and what fits is proposed. Programmes are examples: copy one under Rules, and write "
        "the figures of your supplier.",
    )
    # For which facts and uses the sets were looked over, where these changed.
    looked_over = forms.CharField(widget=forms.HiddenInput, required=False, max_length=2000)

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
            "feeds",
            "limit_sets",
            "without_limits",
        ]
        field_classes = dict.fromkeys(("latitude", "longitude", "elevation_m"), NumberField)
        labels = {
            "without_limits": "Nothing judges its results: they are only noted",
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

    def __init__(self, team: Team, *args: Any, system: str = "metric", **kwargs: Any) -> None:
        super().__init__(team, *args, **kwargs)
        fields: dict[str, Any] = self.fields
        kind, self.system = self.instance.kind, system
        if not kind.has_depth:
            del self.fields["sampling_depth_cm"]
        ways = [(way.key, way.name) for way in ways_for(kind.key)]
        self.fields["usual_way"] = forms.ChoiceField(
            label="Usual way to draw a sample", choices=[("", "not settled"), *ways], required=False
        )
        fields["feeds"].choices = [(each.key, each.words) for each in feeds_of(kind.key)]
        if not fields["feeds"].choices:
            del self.fields["feeds"]
        fields["limit_sets"].choices = [
            (key, found.title)
            for key, found in known_sets(team.pk).items()
            if is_own(key) or kind.key in found.kinds or key in self.instance.limit_sets
        ]
        for fact in kind.facts:
            self.fields[f"fact_{fact.name}"] = _asked_for(fact, system)
            known = self.instance.facts.get(fact.name)
            is_number = fact.least is not None and isinstance(known, int | float)
            self.initial[f"fact_{fact.name}"] = measure_of(fact.unit, system).written(known) if is_number else known
        # What a place is comes before what it is judged by.
        last = ("feeds", "limit_sets", "without_limits", "looked_over")
        self.order_fields([*(name for name in self.fields if name not in last), *last])

    def clean(self) -> dict[str, Any]:
        """Gather the facts of the kind; nobody leaves a place without anything to judge by, unless they say so."""
        cleaned: dict[str, Any] = super().clean() or {}
        before = (dict(self.instance.facts), list(self.instance.feeds))
        self.instance.facts = {fact.name: self._kept(fact, before[0], cleaned) for fact in self.instance.kind.facts}
        if self.instance.pk and not self.errors and cleaned.get("limit_sets"):
            self._ask_what_fits(cleaned, before)
        if not cleaned.get("limit_sets") and not cleaned.get("without_limits"):
            self._propose(cleaned)
        elif cleaned.get("limit_sets") and cleaned.get("without_limits"):
            self.add_error("without_limits", "Either something judges its results, or nothing does.")
        return cleaned

    def _kept(self, fact: Fact, before: dict[str, Any], cleaned: dict[str, Any]) -> Any:
        """Return a fact in its own unit; one that nobody touched stays to its last digit."""
        name = f"fact_{fact.name}"
        given = cleaned.get(name)
        if given is None or fact.least is None:
            return given
        return before.get(fact.name) if given == self.initial[name] else measure_of(fact.unit, self.system).kept(given)

    def _ask_what_fits(self, cleaned: dict[str, Any], before: tuple[dict[str, Any], list[str]]) -> None:
        """Ask which sets hold from now on, where a fact or a use changed what fits; once for the same change."""
        place, now = self.instance, (self.instance.facts, cleaned.get("feeds") or [])
        gone = unfitting(cleaned["limit_sets"], place.kind_key, before, now)
        known = {*self._fitting(*before), *cleaned["limit_sets"]}
        fresh = [key for key in self._fitting(*now) if key not in known]
        asked = ",".join([*gone, "for", *fresh])
        if not (gone or fresh) or cleaned.get("looked_over") == asked:
            return
        kept = [key for key in cleaned["limit_sets"] if key not in gone]
        self._tick([*kept, *fresh], looked_over=asked)
        self.add_error("limit_sets", "What you changed changes what fits: look over what is ticked now, then save.")

    def _tick(self, keys: list[str], **given: str) -> None:
        """Show the form again with other sets ticked."""
        data: Any = self.data.copy()  # type: ignore[attr-defined] # what was sent
        data.setlist(self.add_prefix("limit_sets"), keys)
        for name, value in given.items():
            data[self.add_prefix(name)] = value
        self.data = data

    def _fitting(self, facts: dict[str, Any], feeds: list[str]) -> list[str]:
        team = self.instance.team_id
        used = {key for keys in Place.objects.for_team(team).values_list("limit_sets", flat=True) for key in keys}
        return proposed_sets(self.instance.kind_key, facts, feeds, used)

    def _propose(self, cleaned: dict[str, Any]) -> None:
        """Tick what fits what was said, to be looked over."""
        fitting = self._fitting(self.instance.facts, cleaned.get("feeds") or [])
        self._tick(fitting)
        words = "These fit what you said: look them over, then save." if fitting else "Nothing that Kessa has fits."
        self.add_error("limit_sets", f"{words} Or say below that nothing judges its results.")


class PairForm(forms.Form):
    """What this place is in a pair, and the place it is compared with."""

    role = forms.ChoiceField(
        label="This place is the",
        choices=[(f"{kind.value} {end}", name) for kind in PairKind for end, name in enumerate(kind.ends)],
    )
    other = PlaceField(label="the other end is", queryset=None, empty_label=None)

    def __init__(self, place: Place, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        fields: dict[str, Any] = self.fields
        self.place = place
        fields["other"].choose_from(place.team_id, but=place.pk)

    def clean(self) -> dict[str, Any]:
        """Put the two places in the pair's order."""
        cleaned: dict[str, Any] = super().clean() or {}
        if "role" in cleaned and "other" in cleaned:
            kind, end = cleaned["role"].split()
            ends = (self.place, cleaned["other"]) if end == "0" else (cleaned["other"], self.place)
            self.pair = Pair(team=self.place.team, kind=kind, first=ends[0], second=ends[1])
        return cleaned
