"""Forms about being told."""

from typing import Any

from django import forms

from kessa.record.notifications.models import Wish
from kessa.record.people.models import ACUTE_TO


class WishForm(forms.ModelForm):  # type: ignore[type-arg]
    """What a member wants to be told, and where."""

    email = forms.EmailField(
        label="Your e-mail address", required=False, help_text="Left empty, nothing is sent to you."
    )

    class Meta:
        model = Wish
        fields = ["up_to", "follow_ups", "questions", "overdue"]

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.initial.setdefault("email", self.instance.membership.user.email)
        self.order_fields(["email", *self.Meta.fields])


class TeamRuleForm(forms.Form):
    """Who is told of what may harm at once."""

    acute_to = forms.ChoiceField(choices=ACUTE_TO)
