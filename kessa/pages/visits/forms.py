"""Forms about a visit."""

from typing import Any

from django import forms

from kessa.record.people.selectors import members
from kessa.record.visits.models import Visit


class HandoverForm(forms.Form):
    """To whom a visit is handed."""

    taker = forms.ModelChoiceField(label="Hand it to", queryset=None, empty_label=None)
    remark = forms.CharField(label="What they should know", max_length=300, required=False)

    def __init__(self, visit: Visit, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        fields: dict[str, Any] = self.fields
        fields["taker"].queryset = members(visit.team).exclude(pk=visit.leader_id)


class CloseForm(forms.Form):
    """What is said at the end of a visit."""

    remark = forms.CharField(label="Remark", max_length=1000, required=False, widget=forms.Textarea(attrs={"rows": 2}))
