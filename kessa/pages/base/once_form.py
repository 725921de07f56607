"""Forms that begin something."""

import uuid
from typing import Any

from django import forms


class OnceForm(forms.Form):
    """A form whose page made the number of what it begins: a page sent twice begins one."""

    once = forms.UUIDField(required=False, widget=forms.HiddenInput)

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        kwargs["initial"] = {"once": uuid.uuid4()} | (kwargs.get("initial") or {})
        super().__init__(*args, **kwargs)

    def clean_once(self) -> uuid.UUID:
        """Make a number where the page sent none."""
        given: uuid.UUID | None = self.cleaned_data["once"]
        return given or uuid.uuid4()

    @property
    def number(self) -> uuid.UUID:
        """The number of what is begun."""
        number: uuid.UUID = self.cleaned_data["once"]
        return number
