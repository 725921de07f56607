"""What a column of a table is about, by what stands above it."""

from __future__ import annotations

import re
from typing import NamedTuple

from kessa.core.quantities.parameters import parameters
from kessa.core.quantities.species import FORMS
from kessa.core.quantities.units import UNITS

PLACE, DAY, CLOCK, TEST, VALUE, UNIT, FORM, FRACTION, LOW, HIGH, REMARK, RESULT, NOTHING = (
    "place", "date", "time", "test", "value", "unit", "form", "fraction", "low", "high", "remark", "result", "",
)  # fmt: skip
# What a column may be about, and the words by which one finds it.
SUBJECTS = {
    PLACE: ("place", "site", "station", "location", "sampling point", "point", "system"),
    DAY: (
        "date",
        "day",
        "datum",
        "sampled",
        "drawn",
        "sample date",
        "drawn_at",
        "sample drawn",
        "date time",
        "timestamp",
    ),
    CLOCK: ("time", "hour", "clock", "zeit"),
    TEST: ("test", "parameter", "analyte", "determinand", "measured", "what"),
    VALUE: ("value", "result", "reading", "concentration", "amount"),
    UNIT: ("unit", "units", "uom"),
    FORM: ("form", "as", "written as", "expressed as"),
    FRACTION: ("fraction",),
    LOW: ("low", "lower end"),
    HIGH: ("high", "upper end"),
    REMARK: ("remark", "remarks", "comment", "comments", "note", "notes"),
}
# How people write what the data files keep in plain letters.
_UNITS = {
    "mg/l": "mg/L", "ppm": "mg/L", "ug/l": "ug/L", "µg/l": "ug/L", "μg/l": "ug/L", "ppb": "ug/L", "g/l": "g/L",
    "mmol/l": "mmol/L", "meq/l": "meq/L", "°c": "degC", "c": "degC", "degc": "degC", "°f": "degF", "f": "degF",
    "µs/cm": "uS/cm", "μs/cm": "uS/cm", "us/cm": "uS/cm", "ms/cm": "mS/cm", "ms/m": "mS/m", "ntu": "NTU",
    "fnu": "FNU", "°dh": "dH", "dh": "dH", "°fh": "fH", "°e": "eH", "gpg": "gpg", "cm": "cm", "m": "m", "ph": "pH",
    "%": "%", "cfu/ml": "CFU/mL",
}  # fmt: skip
# What people shorten at the head of a column; the first of them say the form, too.
_SHORT = {
    "no3": "nitrate", "no2": "nitrite", "nh4": "ammonia", "nh3": "ammonia", "po4": "phosphate",
    "do": "dissolved oxygen", "ec": "conductivity", "temp": "temperature", "cl": "chloride", "so4": "sulfate",
    "fe": "iron",
}  # fmt: skip
_SAY_THE_FORM = ("no3", "no2", "nh4", "nh3", "po4")
_HAS_NO_UNIT = {"pH": "pH"}
_MEASURED = {"temperature": "degC", "conductivity": "uS/cm", "turbidity": "NTU"}
_WORDS = re.compile(r"[\s_]+")


class Head(NamedTuple):
    """What a column is about; of results by which name, in which unit, written as what, and which fraction."""

    subject: str
    parameter: str = ""
    unit: str = ""
    form: str = ""
    fraction: str = ""


def unit_of(text: str) -> str | None:
    """Return the unit that people write so; None where it is none.

    >>> unit_of("µS/cm"), unit_of("mg / L"), unit_of("furlong")
    ('uS/cm', 'mg/L', None)
    """
    said = text.strip().replace(" ", "")
    return _UNITS.get(said.lower()) or (said if said in UNITS else None)


def form_of(text: str) -> str | None:
    """Return the chemical form that people write so; None where it is none.

    >>> form_of("as NO3"), form_of("NO3-N"), form_of("caco3")
    ('NO3', 'N', 'CaCO3')
    """
    said = re.sub(r"^as\s+", "", text.strip(), flags=re.IGNORECASE).replace("₃", "3").replace("₄", "4").rstrip("+-")
    nitrogen = re.fullmatch(r"(?:NO[23]|NH[34])-N", said, flags=re.IGNORECASE)
    if nitrogen or re.fullmatch(r"PO4-P", said, flags=re.IGNORECASE):
        return "N" if nitrogen else "P"
    return next((name for name in FORMS if name.lower() == said.lower()), None)


def head_of(text: str) -> Head:
    """Return what a column is about by its head; a subject of NOTHING where that is not to be seen.

    >>> head_of("Nitrate (mg/L as N)")
    Head(subject='result', parameter='nitrate', unit='mg/L', form='N', fraction='')
    """
    said = _WORDS.sub(" ", text).strip()
    lowered = said.lower()
    for subject, names in SUBJECTS.items():
        if lowered in names:
            return Head(subject)
    name, rest = _name_and_rest(said)
    if name:
        known = parameters()[name]
        unit, form = _unit_and_form(rest)
        fraction = next(
            (each for each in ("dissolved", "total") if re.search(rf"\b{each}\b", lowered) and each not in name), ""
        )
        return Head(
            RESULT, known.key, unit or _HAS_NO_UNIT.get(known.key) or _MEASURED.get(known.key, ""), form, fraction
        )
    for subject, names in SUBJECTS.items():
        if any(re.search(rf"\b{re.escape(each)}\b", lowered) for each in names if len(each) > 3):
            return Head(subject)
    return Head(NOTHING)


def _name_and_rest(said: str) -> tuple[str, str]:
    """Return the longest name of a parameter in a head, and what else stands there."""
    lowered = said.lower()
    for name in sorted(parameters(), key=len, reverse=True):
        found = re.search(rf"(?<![a-z]){re.escape(name.lower())}(?![a-z])", lowered)
        if found:
            return name, (said[: found.start()] + " " + said[found.end() :]).strip()
    for short, name in _SHORT.items():
        found = re.match(rf"{short}(?![a-z0-9])", lowered)
        if found:
            return name, said if short in _SAY_THE_FORM else said[found.end() :]
    return "", said


def _unit_and_form(rest: str) -> tuple[str, str]:
    pieces = re.split(r"[()\[\],;]|\bas\b|\bin\b|\s", rest)
    said = [piece.strip() for piece in pieces if piece and piece.strip()]
    unit = next((found for found in map(unit_of, said) if found), "")
    form = next((found for found in map(form_of, said) if found), "")
    return unit, form
