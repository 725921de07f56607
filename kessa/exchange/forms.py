"""What is asked of who wants a file of the record."""

from django import forms

from kessa.exchange.models import LICENCES, Format


class ExportForm(forms.Form):
    """As what, under which licence, and how it is filtered."""

    format = forms.ChoiceField(
        label="As what", choices=Format.choices, widget=forms.RadioSelect, initial=Format.PACKAGE
    )
    licence = forms.ChoiceField(
        label="Licence, as others read it", choices=list(LICENCES.items()), required=False
    )  # fmt: skip
    filters = forms.CharField(max_length=2000, required=False, widget=forms.HiddenInput)
