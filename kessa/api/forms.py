"""Making keys and hooks."""

from datetime import timedelta
from typing import Any

from django import forms
from django.utils import timezone

from kessa.api.models import EVENTS, SCOPES, Key

_DAYS = [(7, "a week"), (90, "three months"), (365, "a year"), (1095, "three years")]


class KeyForm(forms.ModelForm):  # type: ignore[type-arg]
    """What a key is for, what it opens, and for how long."""

    scopes = forms.MultipleChoiceField(
        label="It may", choices=SCOPES, widget=forms.CheckboxSelectMultiple, initial=["read"]
    )
    days = forms.TypedChoiceField(label="For", choices=_DAYS, coerce=int, initial=365)

    class Meta:
        model = Key
        fields = ["name", "scopes"]

    def save(self, commit: bool = True) -> Any:
        """Give it its end."""
        self.instance.ends_at = timezone.now() + timedelta(days=self.cleaned_data["days"])
        return super().save(commit=commit)


class HookForm(forms.Form):
    """An address, and of what it is told."""

    address = forms.URLField(max_length=300, assume_scheme="https", help_text="https:// only.")
    events = forms.MultipleChoiceField(label="Told of", choices=EVENTS, widget=forms.CheckboxSelectMultiple)
