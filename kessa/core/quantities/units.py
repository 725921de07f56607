"""Units of what is measured, and conversion between them and between chemical forms."""

from __future__ import annotations

import math
from typing import NamedTuple

from kessa.core.errors import CannotCompute, finite
from kessa.core.quantities.species import ATOMIC_MASS, EQUIVALENTS, FORMS, Form

_GRAIN_MG = 64.79891
# Customary units of what is around the water: the international pound, a pound-force on a square inch, the cubic foot.
POUND_KG, PSI_BAR, CUBIC_FOOT_L = 0.45359237, 0.0689475729, 28.316846592
_US_GALLON_L = 3.785411784
_IMPERIAL_GALLON_L = 4.54609
_ABSOLUTE_ZERO_C = -273.15
_CACO3 = FORMS["CaCO3"]


class Unit(NamedTuple):
    """A unit: its dimension and its size in that dimension's base unit.

    Base units: mg/L (mass), mmol/L (moles), meq/L (equivalents, degrees), degC, uS/cm, m, L. `zero` is what a
    temperature scale shows at 0 degC.
    """

    dimension: str
    size: float
    zero: float = 0.0


UNITS = {
    "mg/L": Unit("mass", 1.0),
    "ug/L": Unit("mass", 1e-3),
    "g/L": Unit("mass", 1e3),
    "ppm": Unit("mass", 1.0),
    "ppb": Unit("mass", 1e-3),
    "mmol/L": Unit("moles", 1.0),
    "meq/L": Unit("equivalents", 1.0),
    "gpg": Unit("degrees", _GRAIN_MG / _US_GALLON_L * _CACO3.shared / _CACO3.molar_mass),
    "dH": Unit("degrees", 10.0 * 2 / (ATOMIC_MASS["Ca"] + ATOMIC_MASS["O"])),
    "fH": Unit("degrees", 10.0 * _CACO3.shared / _CACO3.molar_mass),
    "eH": Unit("degrees", _GRAIN_MG / _IMPERIAL_GALLON_L * _CACO3.shared / _CACO3.molar_mass),
    "degC": Unit("temperature", 1.0),
    "degF": Unit("temperature", 5 / 9, 32.0),
    "K": Unit("temperature", 1.0, 273.15),
    "uS/cm": Unit("conductivity", 1.0),
    "mS/cm": Unit("conductivity", 1e3),
    "mS/m": Unit("conductivity", 10.0),
    "m": Unit("length", 1.0),
    "cm": Unit("length", 0.01),
    "mm": Unit("length", 0.001),
    "ft": Unit("length", 0.3048),
    "in": Unit("length", 0.0254),
    "L": Unit("volume", 1.0),
    "mL": Unit("volume", 0.001),
    "m3": Unit("volume", 1000.0),
    "gal_us": Unit("volume", _US_GALLON_L),
    "gal_imp": Unit("volume", _IMPERIAL_GALLON_L),
    # Each a dimension of its own: they measure different light and do not convert into one another.
    "NTU": Unit("turbidity in NTU", 1.0),
    "FNU": Unit("turbidity in FNU", 1.0),
    "JTU": Unit("turbidity in JTU", 1.0),
    "FAU": Unit("turbidity in FAU", 1.0),
    # Bacteria that grow to a dot each.
    "CFU/mL": Unit("bacteria", 1.0),
    "CFU/L": Unit("bacteria", 0.001),
    # Whether something is there at all: 1 where it is, 0 where it was not found. It is written in words.
    "presence": Unit("presence", 1.0),
}

# What is measured around the water, not in it.
AROUND = {
    "kPa": Unit("pressure", 1.0),
    "hPa": Unit("pressure", 0.1),
    "bar": Unit("pressure", 100.0),
    "psi": Unit("pressure", 100 * PSI_BAR),
    "L/s": Unit("flow", 1.0),
    "L/min": Unit("flow", 1 / 60),
    "m3/h": Unit("flow", 1 / 3.6),
    "g": Unit("weight", 1.0),
    "kg": Unit("weight", 1000.0),
    "kg/L": Unit("density", 1.0),
}
_KNOWN = UNITS | AROUND

# How people write what the data files keep in plain letters. A pH has no unit to write.
_SIGNS = {
    "degC": "°C",
    "degF": "°F",
    "uS/cm": "µS/cm",
    "ug/L": "µg/L",
    "m3": "m³",
    "dH": "°dH",
    "fH": "°fH",
    "eH": "°e",
    "pH": "",
    "presence": "",
    "cycles": "",
    "index": "",
    "ratio": "",
}

# Water is liquid, under pressure or with an antifreeze; an oven or a freezer (written as people do) is not water.
_CAN_BE = {"pH": (0.0, 14.0), "degC": (-40.0, 120.0), "°C": (-50.0, 200.0), "uS/cm": (0.0, 200_000.0)}

_CONCENTRATIONS = ("mass", "moles", "equivalents", "degrees")
_NEEDS_EQUIVALENTS = ("equivalents", "degrees")


def sign(unit: str) -> str:
    """Write a unit as people do; nothing for a pH, which is a number by itself.

    >>> sign("uS/cm"), sign("mg/L"), sign("pH")
    ('µS/cm', 'mg/L', '')
    """
    return _SIGNS.get(unit, unit)


def in_words(unit: str) -> bool:
    """Whether what is found in a unit is written in words: nothing is counted, so nothing is usual or drawn of it."""
    return unit == "presence"


def says_its_form(unit: str) -> bool:
    """Whether a concentration in a unit is the same as whatever it is written.

    >>> says_its_form("dH"), says_its_form("meq/L"), says_its_form("mg/L")
    (True, True, False)
    """
    return unit in UNITS and UNITS[unit].dimension in _NEEDS_EQUIVALENTS


def usual_unit(unit: str, form: str | None) -> tuple[str, str | None]:
    """Return in which unit and form balances are reckoned: mg/L and µS/cm; what is neither stays as it is.

    >>> usual_unit("ug/L", "Fe"), usual_unit("dH", None), usual_unit("mmol/L", None)
    (('mg/L', 'Fe'), ('mg/L', 'CaCO3'), ('mmol/L', None))
    """
    dimension = UNITS[unit].dimension if unit in UNITS else ""
    if dimension == "conductivity":
        return "uS/cm", form
    if dimension == "mass" or (dimension in ("moles", "equivalents") and form):
        return "mg/L", form
    return ("mg/L", form or "CaCO3") if dimension == "degrees" else (unit, form)


def convert(value: float, unit: str, form: str | None, to_unit: str, to_form: str | None) -> float:
    """Convert `value` from `unit` (written as `form`) to `to_unit` (as `to_form`).

    Units are the keys of UNITS and AROUND, forms those of species.FORMS. A form left out is the other one. mmol/L is
    moles of the form named; meq/L and the hardness degrees hold for hardness and alkalinity only, and a degree without
    a form is as CaCO3. Raises CannotCompute on `value`, `unit`, `as`, `to_unit` or `to_as`. Molar masses:
    species.ATOMIC_MASS (IUPAC 2021); degrees: 10 mg/L CaO (German), 10 mg/L CaCO3 (French), a grain a gallon (English,
    US).

    >>> round(convert(2, "mg/L", "N", "mg/L", "NO3"), 3)
    8.853
    """
    source = _unit(unit, "unit")
    source_form = _form(form, "as")
    target = _unit(to_unit, "to_unit")
    target_form = _form(to_form, "to_as")
    both_concentrations = source.dimension in _CONCENTRATIONS and target.dimension in _CONCENTRATIONS
    if not both_concentrations and source.dimension != target.dimension:
        raise CannotCompute(_why_not(unit, source, to_unit, target), "to_unit")
    if not both_concentrations and (source_form or target_form):
        raise CannotCompute(f"{unit} is not a concentration: leave the form out.", "as" if source_form else "to_as")
    if source.dimension == "temperature":
        return _convert_temperature(value, source, target)
    if value < 0:
        raise CannotCompute("An amount cannot be below 0.", "value")
    if not both_concentrations:
        return finite(value * source.size / target.size, "value")
    source_form, target_form = source_form or target_form, target_form or source_form
    _check_equivalents(unit, source, source_form, "unit")
    _check_equivalents(to_unit, target, target_form, "to_unit")
    if source_form and target_form and source_form.family != target_form.family:
        raise CannotCompute(_nothing_shared(source_form, target_form), "to_as")
    if source.dimension == target.dimension and source_form == target_form:
        return finite(value * source.size / target.size, "value")
    shared = value * source.size * _shared_per_base(source, source_form, target)
    return finite(shared / (target.size * _shared_per_base(target, target_form, source)), "value")


def _unit(name: object, field: str) -> Unit:
    if not isinstance(name, str) or name not in _KNOWN:
        raise CannotCompute(f"{name!r} is not a unit known here. Known: {', '.join(_KNOWN)}.", field)
    return _KNOWN[name]


def _form(name: object, field: str) -> Form | None:
    if name is None:
        return None
    if not isinstance(name, str) or name not in FORMS:
        raise CannotCompute(f"{name!r} is not a form known here. Known: {', '.join(FORMS)}.", field)
    return FORMS[name]


def _why_not(unit: str, source: Unit, to_unit: str, target: Unit) -> str:
    if source.dimension.startswith("turbidity") and target.dimension.startswith("turbidity"):
        return f"Turbidity in {unit} cannot be converted to {to_unit}: they are measured by different light."
    return f"{unit} cannot be converted to {to_unit}: they measure different things."


def _nothing_shared(form: Form, to_form: Form) -> str:
    if {form.name, to_form.name} == {"Cl", "Cl2"}:
        return "Chlorine (Cl2) is not chloride (Cl): one cannot be converted to the other."
    return f"{form.name} and {to_form.name} share nothing to convert by."


def _convert_temperature(value: float, source: Unit, target: Unit) -> float:
    celsius = (value - source.zero) * source.size
    if celsius < _ABSOLUTE_ZERO_C - 1e-9:
        raise CannotCompute("No temperature is below absolute zero.", "value")
    return finite(celsius / target.size + target.zero, "value")


def _check_equivalents(name: str, unit: Unit, form: Form | None, field: str) -> None:
    if unit.dimension in _NEEDS_EQUIVALENTS and form is not None and form.family != EQUIVALENTS:
        raise CannotCompute(f"{name} is for hardness and alkalinity only, not for {form.name}.", field)


def _shared_per_base(unit: Unit, form: Form | None, other: Unit) -> float:
    """What the form's family shares (mmol of the element, or meq) in one base unit of `unit`."""
    if unit.dimension in _NEEDS_EQUIVALENTS:
        return 1.0
    if form is None:
        if other.dimension != "degrees":
            raise CannotCompute("Say in which form the value is written, such as CaCO3 or N.", "as")
        form = _CACO3
    return form.shared / form.molar_mass if unit.dimension == "mass" else float(form.shared)


def can_be(unit: str, usually: tuple[float, float] = (-math.inf, math.inf)) -> tuple[float, float]:
    """Return between which numbers anything can be that is given in a unit: what lies beyond is a slip."""
    return _CAN_BE.get(unit, usually)
