"""Units and chemical forms as people write them in tables."""

from __future__ import annotations

import re

from kessa.core.quantities.species import FORMS
from kessa.core.quantities.units import UNITS

# How people write what the data files keep in plain letters; of these capitals do not matter.
_ANYHOW = {
    "mg/l": "mg/L", "ppm": "mg/L", "ug/l": "ug/L", "ppb": "ug/L", "g/l": "g/L", "mmol/l": "mmol/L", "meq/l": "meq/L",
    "mval/l": "meq/L", "°c": "degC", "degc": "degC", "degf": "degF", "us/cm": "uS/cm", "ntu": "NTU",
    "fnu": "FNU", "jtu": "JTU", "fau": "FAU", "°dh": "dH", "dh": "dH", "°fh": "fH", "°e": "eH",
    "gpg": "gpg", "ph": "pH", "%": "%", "cfu/ml": "CFU/mL", "kbe/ml": "CFU/mL",
    "cfu/l": "CFU/L", "kbe/l": "CFU/L",
}  # fmt: skip
# Of these they do: S is siemens, M is molar, °f is French hardness.
_EXACTLY = {"C": "degC", "F": "degF", "°F": "degF", "mS/cm": "mS/cm", "mS/m": "mS/m"}
_INSIDE = re.compile(r"(m|u)g[ ]?([A-Z][A-Za-z0-9]*)/[lL]")
_AS = re.compile(r"(?P<unit>.*?)[\s(\[]+(?:(?:as|als|en|como|come|jako)\s+)?(?P<form>[A-Za-z][A-Za-z0-9₂₃₄+-]*)[)\]]?")


def unit_of(text: str) -> str | None:
    """Return the unit that people write so; None where it is none.

    >>> unit_of("µS/cm"), unit_of("mg / L"), unit_of("furlong"), unit_of("mS")
    ('uS/cm', 'mg/L', None, None)
    """
    words = text.strip().replace(" ", "").replace("µ", "u").replace("μ", "u")
    return _EXACTLY.get(words) or (words if words in UNITS else None) or _ANYHOW.get(words.lower())


def form_of(text: str) -> str | None:
    """Return the chemical form that people write so; None where it is none.

    >>> form_of("as NO3"), form_of("NO3-N"), form_of("caco3")
    ('NO3', 'N', 'CaCO3')
    """
    words = re.sub(r"^as\s+", "", text.strip(), flags=re.IGNORECASE)
    words = words.translate(str.maketrans("₂₃₄", "234")).rstrip("+-⁺⁻")
    nitrogen = re.fullmatch(r"(?:NO[23]|NH[34])-N", words, flags=re.IGNORECASE)
    if nitrogen or re.fullmatch(r"PO4-P", words, flags=re.IGNORECASE):
        return "N" if nitrogen else "P"
    return next((name for name in FORMS if name.lower() == words.lower()), None)


def unit_and_form(text: str) -> tuple[str, str | None] | None:
    """Return the unit behind a number, and the form where one stands with it; None where not all of it is known.

    >>> unit_and_form("mg/l (as N)"), unit_and_form("mg N/L"), unit_and_form("mmol")
    (('mg/L', 'N'), ('mg/L', 'N'), None)
    """
    given = text.strip()
    unit = unit_of(given)
    if unit:
        return unit, None
    inside = _INSIDE.fullmatch(given.replace("µ", "u").replace("μ", "u"))
    if inside:
        form = form_of(inside[2])
        return (f"{inside[1]}g/L", form) if form else None
    found = _AS.fullmatch(given)
    unit, form = (unit_of(found["unit"]), form_of(found["form"])) if found else (None, None)
    return (unit, form) if unit and form else None
