"""Forms about people and teams."""

import zoneinfo

from django import forms

from kessa.people.models import Role, Team, User


class TeamForm(forms.ModelForm):  # type: ignore[type-arg]
    """A team's name and time zone."""

    time_zone = forms.ChoiceField(
        choices=lambda: [(name, name) for name in sorted(zoneinfo.available_timezones())], initial="Europe/London"
    )

    class Meta:
        model = Team
        fields = ["name", "time_zone"]


class UnitsForm(forms.ModelForm):  # type: ignore[type-arg]
    """The units in which a person sees results."""

    class Meta:
        model = User
        fields = ["concentration_unit", "temperature_unit", "hardness_unit"]
        labels = {
            "concentration_unit": "Concentrations",
            "temperature_unit": "Temperatures",
            "hardness_unit": "Hardness and alkalinity",
        }


class RoleForm(forms.Form):
    """A role to give."""

    role = forms.ChoiceField(choices=Role.choices)
