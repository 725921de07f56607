"""Form fields for measured numbers: text with a decimal keyboard, which takes a comma or a point."""

from typing import Any

from django import forms

from kessa.core.quantities.typed import typed_number, typed_numbers

_NO_NUMBER = "Write a number, such as 6.2 or 6,2."


class _Typed(forms.IntegerField):
    widget = forms.TextInput
    default_error_messages = {"invalid": _NO_NUMBER}

    def __init__(self, *args: Any, unit: str = "", **kwargs: Any) -> None:
        """Make the field; `unit` is the sign in which the page reads the number back."""
        self.unit = unit
        super().__init__(*args, **kwargs)

    def to_python(self, value: Any) -> Any:
        """Return the number that was typed; raises ValidationError."""
        if isinstance(value, str) and value.strip():
            value = typed_number(value)
            if value is None:
                raise forms.ValidationError(self.error_messages["invalid"], code="invalid")
        return super().to_python(value)

    def widget_attrs(self, widget: forms.Widget) -> dict[str, Any]:
        """Return what the page's script reads the field by: see number-field.js."""
        # The decimal keyboard of some phones has no minus.
        least: Any = self.min_value
        below_zero = least is None or least < 0
        attrs = {"data-number": "", "autocomplete": "off", "inputmode": "text" if below_zero else "decimal"}
        bounds = {"data-min": self.min_value, "data-max": self.max_value, "data-in": self.unit or None}
        return attrs | {name: value for name, value in bounds.items() if value is not None}


class NumbersField(forms.CharField):
    """Measured numbers in a row."""

    def to_python(self, value: Any) -> Any:
        """Return the numbers that were typed; raises ValidationError."""
        numbers = typed_numbers(text) if (text := super().to_python(value)) else []
        if numbers is None:
            raise forms.ValidationError("Write numbers with a space or a semicolon between them, such as 0,5 1 2.")
        return numbers

    def prepare_value(self, value: Any) -> Any:
        """Return the numbers as they are typed."""
        return value if isinstance(value, str) or value is None else "; ".join(f"{each:.12g}" for each in value)


class NumberField(_Typed, forms.FloatField):
    """A measured number."""


class DecimalNumberField(_Typed, forms.DecimalField):
    """A measured number with so many decimals."""
