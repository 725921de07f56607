"""Forms about people and teams."""

import zoneinfo
from typing import Any

from django import forms

from kessa.record.people.models import WATERS, Contact, Invitation, Role, Team, User
from kessa.record.people.pins import PIN


class TeamForm(forms.ModelForm):  # type: ignore[type-arg]
    """A team's name and time zone."""

    time_zone = forms.ChoiceField(
        choices=lambda: [(name, name) for name in sorted(zoneinfo.available_timezones())], initial="Europe/London"
    )

    class Meta:
        model = Team
        fields = ["name", "time_zone"]


class TeamModelForm(forms.ModelForm):  # type: ignore[type-arg]
    """A form whose row belongs to a team, which is set here and not in the form: names are checked within it."""

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.instance.team = team

    def _get_validation_exclusions(self) -> set[str]:
        return super()._get_validation_exclusions() - {"team"}  # type: ignore[misc] # the stubs leave it out


class ContactForm(TeamModelForm):
    """Whom the team tells, and of what."""

    waters = forms.MultipleChoiceField(label="About", choices=WATERS, widget=forms.CheckboxSelectMultiple)

    class Meta:
        model = Contact
        fields = ["role", "name", "telephone", "email", "waters", "gravest_only"]
        help_texts = {"name": "Such as the county health office, or a person there."}


class WhyForm(forms.Form):
    """Why something is done that needs a reason, which stays with it."""

    why = forms.CharField(label="Why", max_length=300)


class UnitsForm(forms.ModelForm):  # type: ignore[type-arg]
    """The units in which a person sees results, and which colours look alike to them."""

    class Meta:
        model = User
        fields = ["concentration_unit", "temperature_unit", "hardness_unit", "amount_system", "colours_alike"]
        labels = {
            "concentration_unit": "Concentrations",
            "temperature_unit": "Temperatures",
            "hardness_unit": "Hardness and alkalinity",
            "amount_system": "Amounts to pour and to weigh",
            "colours_alike": "Colours that look alike to me",
        }
        help_texts = {
            "colours_alike": "Only you are shown this. The bench then says what light and dark tell, and where another "
            "person had better look; what cannot be told makes the result wider.",
        }


class PinForm(forms.Form):
    """The PIN by which a person takes a visit over on another's phone."""

    pin = forms.RegexField(
        PIN.pattern,
        label="PIN, 6 to 12 digits",
        max_length=12,
        error_messages={"invalid": "A PIN has 6 to 12 digits."},
        widget=forms.TextInput(attrs={"inputmode": "numeric", "autocomplete": "off"}),
    )

    def clean_pin(self) -> str:
        """Refuse what is guessed first."""
        pin: str = self.cleaned_data["pin"]
        if len(set(pin)) < 3 or pin in "0123456789012" or pin in "9876543210987":
            raise forms.ValidationError("That is guessed first: choose another.")
        return pin


class InvitationForm(forms.ModelForm):  # type: ignore[type-arg]
    """As what somebody is invited, and how many."""

    most = forms.IntegerField(label="For how many people", min_value=1, max_value=50, initial=1)

    class Meta:
        model = Invitation
        fields = ["role", "most"]


class RoleForm(forms.Form):
    """A role to give."""

    role = forms.ChoiceField(choices=Role.choices)
