"""Opening a page."""

from typing import Any

from django import forms

from kessa.record.people.models import Team
from kessa.record.places.models import Place


class OpenForm(forms.Form):
    """Which place is opened, or the team, and what is said about it."""

    place = forms.ModelChoiceField(None, empty_label="the team: a page with all open places", required=False)
    words = forms.CharField(
        label="What you say about it", max_length=600, required=False, widget=forms.Textarea(attrs={"rows": 3}),
        help_text="Name nobody: everybody reads it.",
    )  # fmt: skip

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        fields: dict[str, Any] = self.fields
        fields["place"].queryset = Place.objects.for_team(team).order_by("name")
