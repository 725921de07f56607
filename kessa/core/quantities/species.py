"""Chemical forms in which results are written, and the masses that connect them."""

from __future__ import annotations

from difflib import get_close_matches
from typing import NamedTuple

# Standard atomic weights, g/mol: IUPAC (2021), abridged.
ATOMIC_MASS = {
    "H": 1.008,
    "C": 12.011,
    "N": 14.007,
    "O": 15.999,
    "F": 18.998,
    "Na": 22.990,
    "Mg": 24.305,
    "Al": 26.982,
    "Si": 28.085,
    "P": 30.974,
    "S": 32.06,
    "Cl": 35.45,
    "Ca": 40.078,
    "Mn": 54.938,
    "Fe": 55.845,
    "Cu": 63.546,
    "Zn": 65.38,
    "Br": 79.904,
    "Mo": 95.95,
    "Pb": 207.2,
}

EQUIVALENTS = "hardness and alkalinity"


class Form(NamedTuple):
    """A way to write a concentration, such as nitrate as N.

    `molar_mass` in g/mol. `shared` is how much of what its family shares one mole holds: atoms of the element, or
    equivalents in the family of hardness and alkalinity.
    """

    name: str
    family: str
    molar_mass: float
    shared: int


def _form(name: str, family: str, shared: int, **atoms: int) -> Form:
    return Form(name, family, sum(ATOMIC_MASS[atom] * count for atom, count in atoms.items()), shared)


FORMS = {
    form.name: form
    for form in (
        _form("N", "nitrogen", 1, N=1),
        _form("NO3", "nitrogen", 1, N=1, O=3),
        _form("NO2", "nitrogen", 1, N=1, O=2),
        _form("NaNO2", "nitrogen", 1, Na=1, N=1, O=2),
        _form("NH3", "nitrogen", 1, N=1, H=3),
        _form("NH4", "nitrogen", 1, N=1, H=4),
        _form("P", "phosphorus", 1, P=1),
        _form("PO4", "phosphorus", 1, P=1, O=4),
        _form("P2O5", "phosphorus", 2, P=2, O=5),
        _form("S", "sulfur", 1, S=1),
        _form("SO4", "sulfur", 1, S=1, O=4),
        _form("SO3", "sulfur", 1, S=1, O=3),
        _form("Na2SO3", "sulfur", 1, Na=2, S=1, O=3),
        _form("Cl", "chloride", 1, Cl=1),
        _form("NaCl", "chloride", 1, Na=1, Cl=1),
        _form("CaCO3", EQUIVALENTS, 2, Ca=1, C=1, O=3),
        _form("CaO", EQUIVALENTS, 2, Ca=1, O=1),
        _form("Ca", EQUIVALENTS, 2, Ca=1),
        _form("Mg", EQUIVALENTS, 2, Mg=1),
        _form("HCO3", EQUIVALENTS, 1, H=1, C=1, O=3),
        _form("CO3", EQUIVALENTS, 2, C=1, O=3),
        _form("OH", EQUIVALENTS, 1, O=1, H=1),
        _form("Cl2", "chlorine", 1, Cl=2),
        _form("ClO2", "chlorine dioxide", 1, Cl=1, O=2),
        _form("ClO2-", "chlorite", 1, Cl=1, O=2),
        _form("O2", "oxygen", 1, O=2),
        _form("Fe", "iron", 1, Fe=1),
        _form("Cu", "copper", 1, Cu=1),
        _form("Al", "aluminium", 1, Al=1),
        _form("Zn", "zinc", 1, Zn=1),
        _form("Mn", "manganese", 1, Mn=1),
        _form("SiO2", "silica", 1, Si=1, O=2),
        _form("F", "fluoride", 1, F=1),
        _form("Br2", "bromine", 1, Br=2),
        _form("Pb", "lead", 1, Pb=1),
        _form("Mo", "molybdenum", 1, Mo=1),
        _form("MoO4", "molybdenum", 1, Mo=1, O=4),
    )
}


def no_form(name: str) -> str:
    """Say that there is no form of a name, and which may be meant.

    >>> no_form("caco3"), no_form("zzz")
    ('no form caco3, did you mean CaCO3?', 'no form zzz')
    """
    by_letters = {known.lower(): known for known in FORMS}
    near = get_close_matches(name.lower(), by_letters, 1)
    return f"no form {name}, did you mean {by_letters[near[0]]}?" if near else f"no form {name}"
