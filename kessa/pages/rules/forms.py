"""Forms of the rules."""

from typing import Any

from django import forms
from pydantic import ValidationError as Unreadable

from kessa.core.checked import faults
from kessa.core.job.schools import questions
from kessa.core.judging.formulas import FORMULAS
from kessa.core.judging.judge import VERDICTS
from kessa.core.judging.limits import IN_UNITS, SetLimit
from kessa.core.judging.protected import PROTECTED, USUALLY, decision_rule
from kessa.core.judging.statistics import SINGLE
from kessa.core.quantities.species import FORMS
from kessa.core.quantities.units import sign
from kessa.pages.base.number_field import NumberField
from kessa.record.rules.models import HouseRules

_LINES = forms.Textarea(attrs={"rows": 2})


def _word(verdict: str) -> str:
    return f"word_{verdict.replace(' ', '_')}"


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
        for verdict in VERDICTS:
            self.fields[_word(verdict)] = forms.CharField(
                label=verdict, max_length=30, required=False, widget=forms.TextInput(attrs={"class": "input"})
            )
            self.initial[_word(verdict)] = rules.public_words.get(verdict, "")
        for key, question in questions().items():
            self.fields[key] = forms.ChoiceField(
                label=question.ask, choices=[(choice.key, choice.name) for choice in question.choices]
            )

    def rows(self) -> list[tuple[Any, str]]:
        """The questions, each with what is chosen."""
        return [(question, self[key].value()) for key, question in questions().items()]

    def words(self) -> list[Any]:
        """The fields of the team's own words for verdicts."""
        return [self[_word(verdict)] for verdict in VERDICTS]

    def public_words(self) -> dict[str, str]:
        """The team's own words for verdicts, where it has them."""
        data = {verdict: self.cleaned_data[_word(verdict)].strip() for verdict in VERDICTS}
        return {verdict: word for verdict, word in data.items() if word}

    def schools(self) -> dict[str, str]:
        """What was chosen."""
        return {key: self.cleaned_data[key] for key in questions()}


class SetForm(forms.Form):
    """What a set of one's own is called, and what it is for."""

    title = forms.CharField(label="What the set is called", max_length=100)
    applies_to = forms.ChoiceField(
        label="For which water",
        choices=[("plant", "a plant"), ("drinking", "drinking water"), ("stream", "open water")],
    )
    about = forms.CharField(
        label="Whose figures these are, and since when",
        max_length=600,
        required=False,
        widget=forms.Textarea(attrs={"rows": 2}),
    )


_COMPARED = (
    ("", "the result itself"),
    ("upstream", "the place upstream"),
    ("supply", "the supply"),
    ("reference", "the other place of its pair"),
    ("usual", "what is usual here"),
)


class LimitForm(forms.Form):
    """One limit of a set of one's own."""

    parameter = forms.CharField(label="Of what", max_length=60, widget=forms.TextInput(attrs={"list": "parameters"}))
    form = forms.ChoiceField(label="Written as", required=False, choices=[("", "—"), *((key, key) for key in FORMS)])
    unit = forms.ChoiceField(label="In which unit", choices=[(key, sign(key) or key) for key in IN_UNITS])
    min = NumberField(label="At least", required=False)
    max = NumberField(label="At most", required=False)
    aim = NumberField(
        label="Aim of treatment", required=False,
        help_text="Where a dose or a bleed brings it. Empty: inside the nearest edge by a quarter of the band.",
    )  # fmt: skip
    formula = forms.ChoiceField(
        label="Or a limit that follows from other readings of the sample",
        required=False,
        choices=[("", "no"), *((key, f"{key.replace('-', ', ')}: {each.words}") for key, each in FORMULAS.items())],
    )
    compared = forms.ChoiceField(
        label="Held against it: the result, or its difference from", required=False, choices=_COMPARED
    )
    statistic = forms.CharField(
        label="One sample, or what of several", max_length=60, initial=SINGLE,
        widget=forms.TextInput(attrs={"list": "statistics"}),
    )  # fmt: skip
    protects = forms.ChoiceField(
        label="What the limit protects",
        choices=[(key, each.words) for key, each in PROTECTED.items()],
        help_text="By it goes what people are told beyond it, how soon, and which of several limits decides.",
    )
    rule = forms.ChoiceField(
        label="Judged by",
        required=False,
        choices=[
            ("", "as what it protects asks: the whole interval for health and aquatic life, else the value"),
            ("guarded", "the whole interval: it must all be inside"),
            ("simple", "the value alone"),
        ],
    )
    do_low = forms.CharField(label="What to do when it is too low", max_length=600, required=False, widget=_LINES)
    do_high = forms.CharField(label="What to do when it is too high", max_length=600, required=False, widget=_LINES)
    source = forms.CharField(label="Source: the supplier's sheet, the law, the maker", max_length=300, required=False)
    note = forms.CharField(label="Note", max_length=600, required=False)

    def __init__(self, *args: Any, before: dict[str, Any], applies_to: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs | {"initial": self.filled(before, applies_to)})
        self.before = before

    def clean(self) -> dict[str, Any]:
        """Check it as a limit of a set; what is wrong is said at its field."""
        cleaned: dict[str, Any] = super().clean() or {}
        if self.errors:
            return cleaned
        try:
            SetLimit.model_validate(self.said)
        except Unreadable as error:
            for place, what in faults(error, "limit"):
                field = str(place[-1]).replace("as", "form") if place else None
                named = self.fields[field].label if field in self.fields else ""
                self.add_error(field if field in self.fields else None, what.replace(f"{field} ", f"{named}: ", 1))
        return cleaned

    @property
    def said(self) -> dict[str, Any]:
        """The limit as plain data; what was left empty is not there, what the form does not ask stays as it was."""
        given = {name: value for name, value in self.cleaned_data.items() if value not in (None, "")}
        if "form" in given:
            given["as"] = given.pop("form")
        kept = {name: value for name, value in self.before.items() if name != "as" and name not in self.fields}
        return kept | given

    @classmethod
    def filled(cls, limit: dict[str, Any], applies_to: Any) -> dict[str, Any]:
        """Return a limit that is there by the form's own names, each of them, and by which rule it decides."""
        given = limit.get("protects")
        protects = str(given) if str(given) in PROTECTED else USUALLY.get(str(applies_to), "treatment")
        filled = {**dict.fromkeys(cls.base_fields), "statistic": SINGLE, **limit, "form": limit.get("as")}
        return filled | {"protects": protects, "decided_by": filled["rule"] or decision_rule(protects)}
