"""Titration curves as textbooks give them: how far the colour of a vessel has come after so much titrant."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Annotated, Literal

from pydantic import Field

from kessa.core.checked import Checked, Positive
from kessa.core.datafile import data_file, read_toml

# Carbonic acid and water at 25 °C; silver chloride and silver chromate.
_K1, _K2, _KW = 10**-6.35, 10**-10.33, 1e-14
_KSP_CHLORIDE, _KSP_CHROMATE = 1.8e-10, 1.1e-12


class Titration(Checked):
    """The law by which the colour of some families of tests comes on, and its constants (mol/L)."""

    families: tuple[str, ...]
    law: Literal["acid", "metal", "silver", "fades", "appears"]
    dye_pk: Positive = 7.0
    # Whether the water is one with carbonate in it, of which half is taken up.
    carbonate: bool = False
    log_k: Positive = 10.0
    dye_log_k: Positive = 5.0
    chromate: Positive = 0.005
    seen: Positive = 1e-6

    def turned(self, added: float, held: float) -> float:
        """Return how far the colour has come, 0 to 1 wholly turned; `added` and `held` in equivalents a litre."""
        if self.law == "acid":
            ph = carbonate_ph(held, added, carbonate=self.carbonate)
            return 1 / (1 + 10 ** (ph - self.dye_pk))
        if self.law == "metal":
            # EDTA takes one metal ion, which counts two equivalents.
            return 1 / (1 + 10**self.dye_log_k * free_metal(held / 2, added / 2, self.log_k))
        if self.law == "silver":
            return min(chromate_solid(held, added, self.chromate) / self.seen, 1.0)
        left = held - added
        if self.law == "fades":
            # The colour fades with what is left; only with the last of it is it gone.
            return 1.0 if left <= self.seen else max(1 - left / held, 0.0) * 0.45
        return 0.0 if left >= 0 else -left / (self.seen - left)


class _Titrations(Checked):
    titrations: Annotated[tuple[Titration, ...], Field(min_length=1)]


@data_file
def titrations() -> dict[str, Titration]:
    """Return the law of every family that has one, by family; raises BadDataFile on a faulty file."""
    read = read_toml(Path(__file__).with_name("titrations.toml"), _Titrations).titrations
    return {family: each for each in read for family in each.families}


def carbonate_ph(alkalinity: float, acid: float, *, carbonate: bool = False) -> float:
    """Return the pH of carbonate water after so much strong acid, nothing of it lost to the air.

    `alkalinity` (eq/L) is that of bicarbonate, or where `carbonate` is true the P alkalinity of a water of carbonate
    alone; `acid` in eq/L. From the charge balance (Stumm and Morgan).
    """
    total = alkalinity
    base = 2 * alkalinity if carbonate else alkalinity

    def excess(ph: float) -> float:
        h = 10**-ph
        share = h * h + _K1 * h + _K1 * _K2
        return total * (_K1 * h + 2 * _K1 * _K2) / share + _KW / h - h - (base - acid)

    low, high = 0.0, 14.0
    for _ in range(60):
        middle = (low + high) / 2
        low, high = (middle, high) if excess(middle) < 0 else (low, middle)
    return (low + high) / 2


def free_metal(metal: float, edta: float, log_k: float) -> float:
    """Return how much metal (mol/L) EDTA has left free, by its conditional stability constant."""
    k = 10**log_k
    b = edta - metal + 1 / k
    return (-b + math.sqrt(b * b + 4 * metal / k)) / 2


def chromate_solid(chloride: float, silver: float, chromate: float) -> float:
    """Return how much silver chromate (mol/L) has fallen out besides silver chloride; all in mol/L."""
    most_silver = math.sqrt(_KSP_CHROMATE / chromate)
    left = silver - chloride - most_silver + _KSP_CHLORIDE / most_silver
    return max(left, 0.0) / 2
