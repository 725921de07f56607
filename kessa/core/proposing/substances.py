"""What products hold: how much of one thing stands for how much of another."""

from __future__ import annotations

import re
from typing import NamedTuple

from kessa.core.errors import CannotCompute
from kessa.core.quantities.species import ATOMIC_MASS, EQUIVALENTS, FORMS, no_form

# Standard atomic weight of potassium, g/mol (IUPAC 2021), which no form of results holds.
_MASS = ATOMIC_MASS | {"K": 39.098}
_PIECE = re.compile(r"([A-Z][a-z]?)(\d*)|\(([^()]*)\)(\d*)|\.(\d*)([A-Za-z0-9]+)")
# Of which family each is that no result is written as, and how much of what its family shares one mole holds. Of
# chlorine that is what oxidises like a mole of Cl2.
_SHARED = {
    "NaOCl": ("chlorine", 1), "HOCl": ("chlorine", 1), "Ca(OCl)2": ("chlorine", 2), "NaHSO3": ("sulfur", 1),
    "Na2S2O5": ("sulfur", 2), "Na3PO4": ("phosphorus", 1), "Na2HPO4": ("phosphorus", 1), "NaH2PO4": ("phosphorus", 1),
    "Na3PO4.12H2O": ("phosphorus", 1), "Na2MoO4": ("molybdenum", 1), "Na2MoO4.2H2O": ("molybdenum", 1),
    "KCl": ("chloride", 1), "CaCl2": ("chloride", 2), "NaNO3": ("nitrogen", 1), "KNO3": ("nitrogen", 1),
    "Na2SO4": ("sulfur", 1), "Na2SiO3": ("silica", 1), "NaOH": (EQUIVALENTS, 1), "KOH": (EQUIVALENTS, 1),
    "Na2CO3": (EQUIVALENTS, 2), "NaHCO3": (EQUIVALENTS, 1),
}  # fmt: skip


class Substance(NamedTuple):
    """Grams of it that hold one mole of what its family shares."""

    family: str
    grams: float


def molar_mass(formula: str) -> float:
    """Return the molar mass of a formula, g/mol; raises CannotCompute on `as` for what is none.

    >>> round(molar_mass("Na3PO4.12H2O"), 2), round(molar_mass("Ca(OCl)2"), 2)
    (380.12, 142.98)
    """
    total, at = 0.0, 0
    while at < len(formula):
        piece = _PIECE.match(formula, at)
        if piece is None:
            raise CannotCompute(f"There is {no_form(formula)}.", "as")
        atom, many, group, times, of_water, water = piece.groups()
        if atom is not None:
            if atom not in _MASS:
                raise CannotCompute(f"There is {no_form(formula)}.", "as")
            total += _MASS[atom] * int(many or 1)
        elif group is not None:
            total += molar_mass(group) * int(times or 1)
        else:
            total += molar_mass(water) * int(of_water or 1)
        at = piece.end()
    return total


def substance(name: str) -> Substance:
    """Return what a form or a substance is; raises CannotCompute on `as` for one that is not known."""
    if name in FORMS:
        return Substance(FORMS[name].family, FORMS[name].molar_mass / FORMS[name].shared)
    if name not in _SHARED:
        raise CannotCompute(f"There is {no_form(name)}.", "as")
    family, shared = _SHARED[name]
    return Substance(family, molar_mass(name) / shared)


def grams_for(one: str | None, other: str | None) -> float:
    """Return how many grams of `one` stand for a gram of `other`; 1 where either is not said, or they share nothing.

    >>> round(grams_for("NaNO2", "NO2"), 4), round(grams_for("NaOCl", "Cl2"), 4)
    (1.4997, 1.0499)
    """
    if one is None or other is None or one == other:
        return 1.0
    first, second = substance(one), substance(other)
    if first.family != second.family:
        raise CannotCompute(f"{one} is not {other}: one is not counted as the other.", "as")
    return first.grams / second.grams
