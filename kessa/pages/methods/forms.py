"""Forms of a team's own methods: what is asked depends on the kind."""

from typing import Any, Literal, get_args, get_origin

from django import forms
from django.utils.text import slugify
from pydantic import ValidationError as Unreadable
from pydantic.fields import FieldInfo

from kessa.core.checked import faults
from kessa.core.errors import CannotCompute, checked_number
from kessa.core.job.supplies import supplies
from kessa.core.methods.drafts import MOST_BYTES, TEXTS, kinds_in_words, place_in_words
from kessa.core.methods.kit_numbers import KitNumbers as Numbers
from kessa.core.methods.kit_numbers import fills_to, with_kit_numbers
from kessa.core.methods.schema import Method
from kessa.core.quantities.quantity import plain
from kessa.core.quantities.typed import typed_numbers
from kessa.core.quantities.units import sign
from kessa.core.readings import KINDS
from kessa.pages.base.number_field import NumberField, NumbersField

_STEPS = 30
_REPORTS = {"count": "the count", "midpoint": "the middle of the last step", "before": "the one before"}
_ABOUT = {"test_name": "such as “Zinc, comparator”"}


class KindForm(forms.Form):
    """Of which kind a new method is."""

    kind = forms.ChoiceField(
        label="How is it read?", choices=lambda: list(kinds_in_words().items()), widget=forms.RadioSelect
    )


class ImportForm(forms.Form):
    """A method as a TOML file, chosen or pasted."""

    file = forms.FileField(label="A method file (TOML)", required=False)
    text = forms.CharField(label="Or its text", widget=forms.Textarea(attrs={"rows": 12}), required=False)

    def clean(self) -> dict[str, Any]:
        """Take the text from whichever was given; raises where there is none, or too much."""
        cleaned: dict[str, Any] = super().clean() or {}
        if given := cleaned.get("file"):
            if given.size > MOST_BYTES:
                raise forms.ValidationError(f"A method file holds at most {MOST_BYTES // 1000} kB.")
            try:
                cleaned["text"] = given.read().decode("utf-8")
            except UnicodeDecodeError:
                raise forms.ValidationError("This file is not text in UTF-8.") from None
        if not cleaned.get("text"):
            raise forms.ValidationError("Choose a file, or paste its text.")
        return cleaned


class NumbersForm(forms.Form):
    """What a method finds out and by which numbers; of several parts, the first."""

    def __init__(self, definition: dict[str, Any], *args: Any, **kwargs: Any) -> None:
        self.definition = definition
        self.part = definition["parts"][0]
        self.kind = KINDS[self.part["kind"]]
        self.numbers = {name: field for name, field in self.kind.model_fields.items() if field.title}
        super().__init__(*args, **kwargs | {"initial": self._initial()})
        for name, label in TEXTS.items():
            self.fields[name] = forms.CharField(label=label, help_text=_ABOUT.get(name, ""), max_length=400)
        self.fields["parameter"] = forms.CharField(label="What it finds out", help_text="such as zinc", max_length=60)
        self.fields["unit"] = forms.CharField(label="Unit of the result", max_length=20)
        self.fields["as"] = forms.CharField(
            label="Written as", help_text="N, PO4, CaCO3 and the like", max_length=20, required=False
        )
        if self.kind.counted:
            self.fields["unit_of_count"] = forms.CharField(label="What is counted", max_length=20)
        if "pairs" in self.kind.model_fields:
            strips = [(key, supply.name) for key, supply in supplies().items() if supply.kind == "strip"]
            self.fields["table_of"] = forms.ChoiceField(label="The table comes with lots of", choices=strips)
        for name, field in self.numbers.items():
            self.fields[name] = _asked_for(field)
        if "per" in self.numbers:
            self.fields["ranges"] = forms.CharField(
                label="Ranges by sample volume",
                help_text="a line each, the lowest range first: mL of sample, what one unit is worth in it. "
                "{vessel} in a step stands for the volume.",
                widget=forms.Textarea(attrs={"rows": 3, "placeholder": "25 4\n5 20"}),
                required=False,
            )
        self.fields["keeps_hours"] = NumberField(label="A sample keeps for, hours", min_value=0, required=False)
        self.fields["may_dilute"] = forms.BooleanField(label="A sample may be diluted first", required=False)
        self.fields["agree_within"] = NumberField(
            label="Two runs agree within, percent",
            help_text=f"empty: {'within one unit' if self.kind.has_blank else 'one reading is a result'}",
            min_value=0,
            required=False,
        )
        self.fields["interferences"] = forms.CharField(
            label="What disturbs it, a line each", widget=forms.Textarea(attrs={"rows": 3}), required=False
        )

    def _initial(self) -> dict[str, Any]:
        numbers = self.part.get("numbers", {})
        rule = self.definition.get("agreement") or {}
        return {
            **{name: self.definition.get(name, "") for name in (*TEXTS, "keeps_hours", "may_dilute")},
            **{name: self.part.get(name, "") for name in ("parameter", "unit", "as", "table_of")},
            **numbers,
            "unit_of_count": self.part.get("unit_of_count", "drop"),
            "agree_within": rule.get("within") if rule.get("rule") == "relative" else None,
            "interferences": "\n".join(self.definition.get("interferences", ())),
            "ranges": "\n".join(
                f"{each['vessel'].removesuffix(' mL')} {plain(each['numbers']['per'])}"
                for each in self.definition.get("ranges", ())
            ),
        }

    def clean_ranges(self) -> list[dict[str, Any]]:
        """Read the ranges: a volume and a worth a line."""
        ranges = []
        for number, line in enumerate(self.cleaned_data["ranges"].strip().splitlines(), 1):
            try:
                numbers = typed_numbers(line) or []
                if len(numbers) != 2:
                    raise ValueError(line)
                checked = [checked_number(each, "range") for each in numbers]
            except (ValueError, CannotCompute):
                raise forms.ValidationError(f"Line {number}: mL of sample, a space, what one unit is worth.") from None
            if min(checked) <= 0:
                raise forms.ValidationError(f"Line {number}: both numbers are above 0.")
            ml, per = numbers
            ranges.append({"vessel": f"{plain(ml)} mL", "numbers": {"per": per}, "titrant": {"sample_ml": ml}})
        if len({each["vessel"] for each in ranges}) != len(ranges):
            raise forms.ValidationError("Two ranges have the same volume.")
        return ranges

    def _without_defaults(self, numbers: dict[str, Any]) -> dict[str, Any]:
        """Leave out what is the kind's default anyway."""
        fields = self.kind.model_fields
        return {name: value for name, value in numbers.items() if name not in fields or value != fields[name].default}

    def changed(self) -> dict[str, Any]:
        """Return the definition with what was said here."""
        data = {
            name: value
            for name, value in self.cleaned_data.items()
            if value is not None and value != "" and value is not False
        }
        kept = {name: each for name, each in self.part.get("numbers", {}).items() if name not in self.numbers}
        part = {name: each for name, each in self.part.items() if name not in ("as", "numbers", "chips", "titrant")}
        part |= {name: data[name] for name in ("parameter", "unit", "as", "unit_of_count", "table_of") if name in data}
        part["numbers"] = kept | {name: data[name] for name in self.numbers if name in data}
        for name in ("titrant", "chips"):
            # The chemistry and the colours of before hold only for the numbers of before.
            if name in self.part and self._without_defaults(part["numbers"]) == self._without_defaults(
                self.part.get("numbers", {})
            ):
                part[name] = self.part[name]
        whole = {name: each for name, each in self.definition.items() if name not in ("keeps_hours", "may_dilute")}
        whole |= {name: data.get(name, "") for name in TEXTS}
        whole |= {name: data[name] for name in ("keeps_hours", "may_dilute") if name in data}
        whole["interferences"] = [line.strip() for line in data.get("interferences", "").splitlines() if line.strip()]
        whole.pop("ranges", None)
        if data.get("ranges"):
            # The chemistry follows the volume, where it is told.
            shared = {"vessel", "numbers", *({"titrant"} & part.keys())}
            whole["ranges"] = [{name: each[name] for name in each if name in shared} for each in data["ranges"]]
            whole["vessel"] = data["ranges"][0]["vessel"]
        if "agree_within" in data:
            whole["agreement"] = {"rule": "relative", "within": data["agree_within"]}
        elif (whole.get("agreement") or {}).get("rule") == "relative":
            whole.pop("agreement")
        if "table_of" in part:
            others = [use for use in whole.get("uses", ()) if use["supply"] != part["table_of"]]
            whole["uses"] = [*others, {"supply": part["table_of"], "amount": 1}]
        return {**whole, "parts": [part, *self.definition["parts"][1:]]}


def _asked_for(field: FieldInfo) -> forms.Field:
    """Return the form field that asks for one of a kind's numbers: a choice, a list of numbers, or a number."""
    data: dict[str, Any] = {"label": field.title, "help_text": field.description or ""}
    kind = get_origin(field.annotation)
    if kind is Literal:
        choices = [(key, _REPORTS.get(key, key)) for key in get_args(field.annotation)]
        return forms.ChoiceField(choices=choices, required=False, **data)
    if kind is tuple:
        return NumbersField(required=field.is_required(), **data)
    return NumberField(required=False, **data)


def _two_lines() -> forms.Textarea:
    return forms.Textarea(attrs={"rows": 2})


class StepForm(forms.Form):
    """One step, and its clock where it has one."""

    text = forms.CharField(label="What to do", max_length=300, required=False, widget=_two_lines())
    detail = forms.CharField(label="How, and why", max_length=300, required=False, widget=_two_lines())
    caution = forms.CharField(label="Caution", max_length=300, required=False, widget=_two_lines())
    seconds = forms.IntegerField(label="Wait, seconds", min_value=1, max_value=86_400, required=False)
    rule = forms.ChoiceField(choices=[("least", "at least"), ("exact", "exactly")], required=False)
    within_s = forms.IntegerField(label="Then read within, seconds", min_value=1, max_value=86_400, required=False)
    where = forms.IntegerField(label="Place in the order", min_value=1, max_value=_STEPS, required=False)


class StepsForm:
    """The steps of a method as a form: a row each, and some empty ones."""

    def __init__(self, definition: dict[str, Any], data: Any = None) -> None:
        self.definition = definition
        formset = forms.formset_factory(StepForm, extra=0 if data else 3, max_num=_STEPS)
        steps = [_as_row(number, step) for number, step in enumerate(definition["steps"], 1)]
        self.rows = formset(data, initial=steps, prefix="steps")
        for row, step in zip(self.rows, definition["steps"], strict=False):
            # A clock belongs to what is done: one counts and reads until it is over.
            for name in ("seconds", "rule", "within_s") if step.get("kind", "do") != "do" else ():
                del row.fields[name]

    def changed(self) -> dict[str, Any]:
        """Return the definition with these steps: what a row does not speak of stays as it was."""
        rows = []
        for number, row in enumerate(self.rows):
            data = row.cleaned_data
            if data.get("text"):
                before = self.definition["steps"][number] if number < len(self.definition["steps"]) else {}
                rows.append((data.get("where") or number + 1, number, _as_step(before, data)))
        return {**self.definition, "steps": [step for _, _, step in sorted(rows, key=lambda row: row[:2])]}


def _as_row(number: int, step: dict[str, Any]) -> dict[str, Any]:
    wait = step.get("wait") or {}
    clock = {name: wait.get(name) for name in ("seconds", "rule", "within_s")}
    return {**{name: step.get(name, "") for name in ("text", "detail", "caution")}, **clock, "where": number}


def _as_step(before: dict[str, Any], data: dict[str, Any]) -> dict[str, Any]:
    step = {name: each for name, each in before.items() if name not in ("text", "detail", "caution", "wait")}
    step |= {name: data[name] for name in ("text", "detail", "caution") if data.get(name)}
    if data.get("seconds"):
        what = (before.get("wait") or {}).get("what") or data["text"][:60].lower()
        step["wait"] = {"what": what, "seconds": data["seconds"], "rule": data.get("rule") or "least"}
        if data.get("within_s"):
            step["wait"]["within_s"] = data["within_s"]
    elif (before.get("wait") or {}).get("computed"):
        step["wait"] = before["wait"]
    return step


class ExampleForm(forms.Form):
    """An example reading, by which the numbers are checked."""

    def __init__(self, kind: str, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        for name, label in KINDS[kind].example.items():
            self.fields[name] = NumberField(label=label, required=False)

    @property
    def reading(self) -> dict[str, float]:
        """The reading, without what was left empty."""
        return {name: value for name, value in self.cleaned_data.items() if value is not None}


class KitNumbersForm(forms.Form):
    """What a kit's sheet prints on a house method: its waits, volume, factors and card."""

    def __init__(self, house: Method, now: Method, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.house = house
        # Field by field: what of the kit's numbers it is about, and what the house has.
        self.about: dict[str, tuple[tuple[str, ...], Any]] = {}
        for step, now_step in zip(house.steps, now.steps, strict=True):
            if step.wait and now_step.wait and step.wait.seconds:
                what = step.wait.what
                self._ask(("waits", what), f"{what.capitalize()}, seconds", step.wait.seconds, now_step.wait.seconds)
                if step.wait.within_s:
                    label = f"{what.capitalize()}: then within, seconds"
                    self._ask(("within", what), label, step.wait.within_s, now_step.wait.within_s)
        self._ask_of_parts(now)

    def _ask_of_parts(self, now: Method) -> None:
        if volume := fills_to(self.house):
            self._ask(("sample_ml",), "Sample, mL", volume, fills_to(now) or volume)
        for part, now_part in zip(self.house.parts, now.parts, strict=True):
            of = f"{part.parameter}: " if len(self.house.parts) > 1 else ""
            if (per := getattr(part.numbers, "per", None)) is not None:
                label = f"{of}One {part.unit_of_count} is worth, {sign(part.unit)}"
                self._ask(("per", part.key), label, per, getattr(now_part.numbers, "per", per))
            for other, now_other in zip(part.also, now_part.also, strict=True):
                label = f"{of}Factor to write it as {other.form}"
                self._ask(("also", part.key, other.form), label, other.times, now_other.times)
            if part.numbers.card and (steps := getattr(part.numbers, "steps", None)):
                label = f"{of}The printed steps, rising"
                self._ask(("cards", part.key), label, steps, getattr(now_part.numbers, "steps", steps))

    def _ask(self, about: tuple[str, ...], label: str, house: Any, now: Any) -> None:
        data: dict[str, Any] = {"label": label[:1].upper() + label[1:], "required": False}
        if isinstance(house, tuple):
            data["help_text"] = f"the house's: {', '.join(map(plain, house))}"
            field: forms.Field = NumbersField(initial=list(now), **data)
        else:
            data["help_text"] = f"the house's: {plain(house)}"
            whole = about[0] in ("waits", "within")
            field = (forms.IntegerField if whole else NumberField)(initial=now, **data)
            field.widget.attrs["step"] = 1 if whole else "any"
        name = slugify("-".join(about))
        self.fields[name] = field
        self.about[name] = (about, house)

    def clean(self) -> dict[str, Any]:
        """Make numbers of it, and a method with them; what is empty or as the house has it is left out."""
        cleaned: dict[str, Any] = super().clean() or {}
        data: dict[str, Any] = {}
        for name, (about, house) in self.about.items():
            value = cleaned.get(name)
            if value in (None, "", []) or (tuple(value) if isinstance(house, tuple) else value) == house:
                continue
            *path, last = about
            place = data
            for each in path:
                place = place.setdefault(each, {})
            place[last] = value
        try:
            self.numbers = Numbers.model_validate(data)
            with_kit_numbers(self.house, self.numbers)
        except Unreadable as error:
            where, what = faults(error, "the method")[0]
            raise forms.ValidationError(f"{place_in_words(where)}: {what}") from None
        return cleaned
