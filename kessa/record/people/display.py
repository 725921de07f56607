"""Numbers in the units a person chose; they are stored as measured."""

from typing import Any, NamedTuple

from kessa.core.quantities.parameters import parameter as known_parameter
from kessa.core.quantities.units import convert, sign


class Display(NamedTuple):
    """In which unit a stored number is shown, and as which form it is written."""

    unit: str
    form: str

    def number(self, value: float, unit: str, form: str) -> float:
        """Return a stored value in the unit shown."""
        if self.unit in (unit, "ppm"):
            return value
        return convert(value, unit, form or None, self.unit, self.form or None)

    @property
    def sign(self) -> str:
        """The unit as people write it."""
        return sign(self.unit)


def display_for(unit: str, form: str, parameter: str, person: Any) -> Display:
    """Return in which unit a person sees what was stored in `unit`, written as `form`."""
    if unit == "degC":
        return Display(getattr(person, "temperature_unit", unit), "")
    hardness = getattr(person, "hardness_unit", unit)
    if unit == "mg/L" and form == "CaCO3" and hardness != "mg/L" and known_parameter(parameter).degrees:
        return Display(hardness, "")
    if unit == "mg/L":
        return Display(getattr(person, "concentration_unit", unit), form)
    return Display(unit, form)
