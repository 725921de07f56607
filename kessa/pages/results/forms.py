"""Forms of the log: reasons, and what should have been written."""

import json
from typing import Any

from django import forms

from kessa.core.methods.parts import Part
from kessa.core.methods.steps import Ask
from kessa.core.quantities.quantity import plain
from kessa.pages.base.number_field import NumberField
from kessa.pages.people.forms import WhyForm

_WORDS = {
    "count": "Counted to the end",
    "first_change": "It began to turn at",
    "endpoint": "It came to an end",
    "system": "Counted in the system",
    "supply": "Counted in the supply",
    "display": "On the display",
    "display_unit": "In which unit",
    "absorbance": "Absorbance",
    "transmittance": "Transmittance, %",
    "path_mm": "Length of the cell, mm",
    "temperature_c": "Temperature, °C",
    "sensor": "Number of the sensor",
    "scale": "On the scale",
    "fills": "Whole scales used before",
    "start": "Burette at the start, mL",
    "end": "Burette at the end, mL",
    "used_before": "Used from earlier fills, mL",
    "ml": "Titrant used, mL",
    "mark": "Mark on the strip",
    "down": "Lost at",
    "up": "Seen again at",
    "bottom_visible": "Seen on the bottom",
}
_TEXT = ("sensor", "display_unit")


class ReadingRightForm(WhyForm):
    """What was counted or read in a run, as it should have been written."""

    def __init__(self, part: Part, before: dict[str, Any], *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.part, self.before = part, before
        options = part.numbers.options
        if options:
            choices = [(json.dumps(each.reading), each.words or each.short) for each in options]
            now = (json.dumps(each.reading) for each in options if each.reading.items() <= before.items())
            self.fields["reading"] = forms.ChoiceField(label="It looked like", choices=choices, initial=next(now, None))
        else:
            for key in self._keys():
                self.fields[key] = _asked(key, before.get(key))
        self.order_fields([name for name in self.fields if name != "why"])

    def _keys(self) -> list[str]:
        keys = [key for key in self.part.reading_keys if key in self.before]
        if self.part.numbers.has_blank:
            keys = ["count", "first_change", "endpoint"]
        if "display" in self.part.reading_keys and not {"display", "absorbance", "transmittance"} & set(keys):
            keys.append("display")
        return keys

    def right(self) -> dict[str, Any]:
        """Return the reading as it should have been written."""
        if "reading" in self.fields:
            extras = {key: value for key, value in self.before.items() if key in ("sensor", "temperature_c")}
            return {**json.loads(self.cleaned_data["reading"]), **extras}
        data = {key: self.cleaned_data[key] for key in self._keys()}
        data = {key: value for key, value in data.items() if value not in (None, "")}
        if "display" in data:
            data.pop("over", None)
        return data


def _asked(key: str, now: Any) -> forms.Field:
    label = _WORDS.get(key, key)
    if isinstance(now, bool) or key in ("endpoint", "bottom_visible", "over"):
        return forms.BooleanField(label=label, initial=now, required=False)
    if key in _TEXT:
        return forms.CharField(label=label, initial=now, max_length=40, required=False)
    whole = key in ("count", "first_change", "system", "supply", "fills")
    field = forms.IntegerField if whole else NumberField
    number: forms.Field = field(label=label, initial=now, required=False)
    number.widget.attrs["step"] = 1 if whole else "any"
    return number


class AnswerRightForm(WhyForm):
    """An answer given on the way, as it should have been."""

    def __init__(self, ask: Ask, now: Any, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        if ask.answers:
            choices = [(answer.key, answer.name) for answer in ask.answers]
            self.fields["value"] = forms.ChoiceField(label="It was", choices=choices, initial=now)
        else:
            self.fields["value"] = NumberField(label=f"It was, {ask.unit}", initial=now)
            self.fields["value"].widget.attrs["step"] = "any"
        self.order_fields(["value", "why"])


def in_words(value: Any) -> str:
    """Say a value as a person reads it."""
    if isinstance(value, dict):
        return ", ".join(
            f"{_WORDS.get(str(key), str(key)).lower()} {in_words(each)}"
            for key, each in value.items()
            if each is not None
        )
    if isinstance(value, bool):
        return "yes" if value else "no"
    return plain(float(value)) if isinstance(value, int | float) else str(value)
