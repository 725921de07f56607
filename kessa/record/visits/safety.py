"""What is confirmed before a visit begins, on a page or by a tap."""

from typing import Any

from django import forms

from kessa.record.places.models import Place
from kessa.record.rules.models import HouseRules
from kessa.record.rules.selectors import house_rules


class SafetyForm(forms.Form):
    """What is confirmed before a visit: company, who is told, back by when, and that the place's hazards were read."""

    company = forms.CharField(label="Who comes along", max_length=120, required=False)
    alone = forms.BooleanField(label="I go alone, and the place's rules allow it", required=False)
    told = forms.CharField(label="Who knows where you are", max_length=120)
    back_by = forms.TimeField(label="They should hear from you by", widget=forms.TimeInput(attrs={"type": "time"}))
    ice_or_flood = forms.ChoiceField(
        label="Ice or flood there?",
        choices=[("none", "neither"), ("ice", "ice"), ("flood", "flood, or water high and fast")],
        widget=forms.RadioSelect,
    )
    rule_followed = forms.BooleanField(label="I have read our rule and keep to it", required=False)
    plant_ready = forms.BooleanField(
        label="Isolation by site rules, the shift knows, sample cooled before any reagent", required=False
    )
    ready = forms.BooleanField(label="I have read the hazards; goggles and gloves are with me")

    def __init__(self, place: Place, *args: Any, rules: HouseRules | None = None, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.rules = rules or house_rules(place.team_id)
        if not place.kind.has_depth:
            del self.fields["ice_or_flood"], self.fields["rule_followed"]
        if not place.kind.is_plant:
            del self.fields["plant_ready"]

    def clean(self) -> dict[str, Any]:
        """Refuse to start alone unsaid or against the rule, on ice or flood without one, at plant without its own."""
        cleaned: dict[str, Any] = super().clean() or {}
        if not cleaned.get("company") and not cleaned.get("alone"):
            self.add_error("company", "Say who comes along, or that you go alone.")
        elif not cleaned.get("company") and self.rules.never_alone:
            self.add_error("alone", "Your team's rule: nobody goes alone. Call somebody along, or not this time.")
        if cleaned.get("ice_or_flood", "none") != "none":
            self._check_ice_or_flood(cleaned)
        if "plant_ready" in self.fields and not cleaned.get("plant_ready"):
            self.add_error("plant_ready", "Confirm the site's own rules first.")
        return cleaned

    def _check_ice_or_flood(self, cleaned: dict[str, Any]) -> None:
        ice = cleaned["ice_or_flood"] == "ice"
        rule, what = (self.rules.ice_rule, "on ice") if ice else (self.rules.flood_rule, "in a flood")
        if not rule.strip():
            self.add_error("ice_or_flood", f"No rule for it is written, so nobody goes {what}: not this time.")
        elif not cleaned.get("company"):
            self.add_error("company", f"Never alone {what}: call somebody along, or not this time.")
        elif not cleaned.get("rule_followed"):
            self.add_error("rule_followed", "In doubt, do not go. Going needs your team's own rule, read and kept to.")

    def confirmed(self) -> dict[str, Any]:
        """Return what was confirmed, as it is kept with the visit."""
        kept = {name: value for name, value in self.cleaned_data.items() if value not in (None, "")}
        return {**kept, "back_by": f"{kept['back_by']:%H:%M}"}
