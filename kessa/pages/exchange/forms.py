"""What is asked of who wants a file of the record."""

from itertools import pairwise
from typing import Any

from django import forms

from kessa.core.importing.heads import RESULT, SUBJECTS
from kessa.core.quantities.parameters import parameters
from kessa.core.quantities.species import FORMS
from kessa.core.quantities.units import UNITS, sign
from kessa.record.exports.models import LICENCES, Format
from kessa.record.imports.models import Import
from kessa.record.people.models import Team
from kessa.record.places.models import Place

_CALLED = {
    "place": "the place", "date": "the day (and time)", "time": "the time of day", "test": "which test it is",
    "value": "the number", "unit": "its unit", "form": "as what it is written", "fraction": "dissolved or total",
    "low": "the lower end of the results before it", "high": "the upper end of the results before it",
    "remark": "a remark", "latitude": "the latitude", "longitude": "the longitude",
}  # fmt: skip
_UNITS = [*UNITS, "pH", "%"]


def _tests() -> list[str]:
    return sorted({each.key for each in parameters().values()}, key=str.lower)


class ImportForm(forms.Form):
    """A file of old results."""

    file = forms.FileField(label="A table: CSV, a workbook (XLSX), or a data package of Kessa's")


class TestForm(forms.Form):
    """What a test is that a column names, and how its results are written where their rows do not say."""

    parameter = forms.ChoiceField(
        choices=lambda: [("", "test …"), *((each, each) for each in _tests())], required=False
    )
    unit = forms.ChoiceField(choices=[("", "unit …"), *((each, sign(each) or each) for each in _UNITS)], required=False)
    form = forms.ChoiceField(choices=[("", "as …"), *((each, f"as {each}") for each in FORMS)], required=False)
    fraction = forms.ChoiceField(
        choices=[("", "fraction …"), ("dissolved", "dissolved"), ("total", "total")], required=False
    )
    found_from = forms.CharField(
        label="“Not detected” is below", max_length=20, required=False,
        widget=forms.TextInput(attrs={"class": "input", "placeholder": "n.d. below", "size": 8}),
    )  # fmt: skip


TestForms = forms.formset_factory(TestForm, extra=0)


class ColumnForm(TestForm):
    """What one column is about."""

    subject = forms.ChoiceField(
        choices=[("", "nothing for Kessa"), *((key, _CALLED[key]) for key in SUBJECTS), (RESULT, "results of …")],
        required=False,
    )
    field_order = ("subject",)

    def clean(self) -> dict[str, Any]:
        """Only what holds results says of what."""
        data = super().clean() or {}
        if data.get("subject") != RESULT:
            data |= {"parameter": "", "unit": "", "form": "", "fraction": "", "found_from": ""}
        elif not data.get("parameter"):
            self.add_error("parameter", "Of which test?")
        return data


ColumnForms = forms.formset_factory(ColumnForm, extra=0)


class ReadingForm(forms.Form):
    """How the file is to be read."""

    mark = forms.ChoiceField(
        label="Decimal mark", choices=[("", "…"), (".", "a point: 1.5"), (",", "a comma: 1,5")], required=False
    )
    order = forms.ChoiceField(
        label="Days", required=False,
        choices=[
            ("", "…"), ("dmy", "5/3/2024: day first"), ("mdy", "3/5/2024: month first"),
        ],
    )  # fmt: skip
    place = forms.ModelChoiceField(
        None, label="One place for the whole file", empty_label="as its column says", required=False
    )
    found_from = forms.CharField(
        label="“Not detected” is below",
        max_length=20,
        required=False,
        help_text="In a column's unit; a column may have its own.",
    )

    def __init__(self, team: Team, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        fields: dict[str, Any] = self.fields
        fields["place"].queryset = Place.objects.for_team(team).order_by("name")

    @property
    def reading(self) -> dict[str, str]:
        """Return how the file is to be read, as it is kept."""
        data = self.cleaned_data
        return {**data, "place": str(data["place"].pk) if data["place"] else ""}


class TableForm(forms.Form):
    """Which sheet of a workbook, and where the heads of its columns stand."""

    sheet = forms.ChoiceField(label="Sheet", required=False)
    head = forms.ChoiceField(label="Row with the column names", required=False)

    def __init__(self, imported: Import, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        sheets, rows = imported.told.get("sheets", []), [row for row in imported.told.get("first", []) if row[1]]
        single = [(str(number), f"row {number}: {words}") for number, words in rows]
        double = [(f"{one}-{two}", f"rows {one} and {two}") for (one, _), (two, _) in pairwise(rows) if two == one + 1]
        fields: dict[str, Any] = self.fields
        fields["sheet"].choices = [(each, each) for each in sheets]
        fields["head"].choices = [("", "the row that looks most like it"), *single, *double]
        if len(sheets) < 2:
            del fields["sheet"]


class ExportForm(forms.Form):
    """As what, under which licence, and how it is filtered."""

    format = forms.ChoiceField(
        label="As what", choices=Format.choices, widget=forms.RadioSelect, initial=Format.PACKAGE
    )
    licence = forms.ChoiceField(
        label="Licence, as others read it", choices=list(LICENCES.items()), required=False
    )  # fmt: skip
    filters = forms.CharField(max_length=2000, required=False, widget=forms.HiddenInput)
