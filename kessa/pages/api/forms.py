"""Making keys and hooks."""

from datetime import timedelta
from typing import Any

from django import forms
from django.conf import settings
from django.utils import timezone

from kessa.record.api_keys.models import SCOPES, Key
from kessa.record.instruments.models import Instrument
from kessa.record.people.models import Team
from kessa.record.webhooks.models import EVENTS

_DAYS = [(7, "a week"), (90, "three months"), (365, "a year"), (1095, "three years")]


class KeyForm(forms.ModelForm):  # type: ignore[type-arg]
    """What a key is for, what it opens, and for how long."""

    scopes = forms.MultipleChoiceField(label="It may", choices=SCOPES, widget=forms.CheckboxSelectMultiple)
    days = forms.TypedChoiceField(label="For", choices=_DAYS, coerce=int, initial=365)

    class Meta:
        model = Key
        fields = ["name", "scopes", "instrument"]
        labels = {"instrument": "It is one instrument's"}

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        fields: dict[str, Any] = self.fields
        instruments = Instrument.objects.for_team(team).order_by("name")
        fields["instrument"].queryset = instruments
        fields["instrument"].empty_label = "no: a person's or a program's"

    def clean(self) -> dict[str, Any]:
        """An instrument's key sends what it shows, and opens nothing else."""
        data: dict[str, Any] = super().clean() or {}
        if data.get("instrument") and data.get("scopes") != ["shown"]:
            self.add_error("scopes", "An instrument's key may send what it shows, and nothing else.")
        return data

    def save(self, commit: bool = True) -> Any:
        """Give it its end."""
        self.instance.ends_at = timezone.now() + timedelta(days=self.cleaned_data["days"])
        return super().save(commit=commit)


class HookForm(forms.Form):
    """An address, and of what it is told."""

    address = forms.URLField(max_length=300, assume_scheme="https")
    events = forms.MultipleChoiceField(label="Told of", choices=EVENTS, widget=forms.CheckboxSelectMultiple)

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        near = "https://, or http:// on your own network." if settings.HOOKS_NEAR else "https:// only."
        self.fields["address"].help_text = near
