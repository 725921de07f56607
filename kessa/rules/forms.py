"""Forms of the rules."""

from typing import Any

from django import forms

from kessa.core.job.schools import questions
from kessa.rules.models import HouseRules


class HouseRulesForm(forms.Form):
    """A choice on every question, and the team's own rules for ice and flood."""

    ice_rule = forms.CharField(
        label="Our ice rule", max_length=1000, required=False, widget=forms.Textarea(attrs={"rows": 2})
    )
    flood_rule = forms.CharField(
        label="Our flood rule", max_length=1000, required=False, widget=forms.Textarea(attrs={"rows": 2})
    )
    never_alone = forms.BooleanField(label="Nobody goes alone", required=False)

    def __init__(self, rules: HouseRules, *args: Any, **kwargs: Any) -> None:
        own = {name: getattr(rules, name) for name in ("ice_rule", "flood_rule", "never_alone")}
        kwargs["initial"] = {**rules.chosen, **own}
        super().__init__(*args, **kwargs)
        for key, question in questions().items():
            self.fields[key] = forms.ChoiceField(
                label=question.ask, choices=[(choice.key, choice.name) for choice in question.choices]
            )

    def rows(self) -> list[tuple[Any, str]]:
        """The questions, each with what is chosen."""
        return [(question, self[key].value()) for key, question in questions().items()]

    def schools(self) -> dict[str, str]:
        """What was chosen."""
        return {key: self.cleaned_data[key] for key in questions()}
