"""Forms about what is noted on a visit."""

from typing import Any

from django import forms

from kessa.core.job.circumstances import Scale
from kessa.pages.base.number_field import NumberField


class ObservationRightForm(forms.Form):
    """What was noted on a scale, as it should have been, and why."""

    why = forms.CharField(label="Why", max_length=300)

    def __init__(self, scale: Scale, now: float | None, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        if scale.several:
            field: forms.Field = forms.TypedMultipleChoiceField(
                label=scale.label,
                choices=list(enumerate(scale.words)),
                coerce=int,
                required=False,
                widget=forms.CheckboxSelectMultiple,
            )
        elif scale.words:
            choices = [("", "not noted"), *enumerate(scale.words)]
            field = forms.TypedChoiceField(
                label=scale.label, choices=choices, coerce=float, empty_value=None, required=False
            )
        else:
            label = f"{scale.label}, {scale.sign}".rstrip(", ")
            field = NumberField(label=label, min_value=scale.least, max_value=scale.most, required=False)
            field.widget.attrs["step"] = "any"
        chosen = scale.chosen(now) if scale.words and now is not None else ()
        field.initial = ([*map(str, chosen)] if scale.several else chosen[0]) if chosen else now
        self.scale = scale
        self.fields["value"] = field
        self.order_fields(["value", "why"])

    def clean_value(self) -> float | None:
        """Return the value on the scale, of several words one for all of them."""
        value = self.cleaned_data["value"]
        return self.scale.of_several(value) if isinstance(value, list) else value
