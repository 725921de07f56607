"""Germs that are looked for by culture: which there are, and what was found of them."""

from __future__ import annotations

from kessa.core.quantities.quantity import Quantity

# What comes from dung or sewage, and all that is looked for as present or absent.
FAECAL = ("E. coli", "enterococci")
GERMS = (*FAECAL, "coliform bacteria")


def found(quantity: Quantity) -> bool:
    """Whether something looked for was found, or nobody could tell."""
    return bool(quantity.words) and quantity.value > 0
