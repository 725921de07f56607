"""Which reagent goes in before which, and what is still found the other way round; they are data, in orders.toml."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, NamedTuple

from pydantic import Field

from kessa.core.checked import Checked, Number
from kessa.core.datafile import data_file, read_toml
from kessa.core.methods.parts import Key, Text
from kessa.core.methods.schema import Method


class Order(NamedTuple):
    """Two steps of a method, from 0, of which `first` goes first: of the strength a share `left` is found else."""

    method: Method
    first: int
    then: int
    left: float
    why: str

    @property
    def in_words(self) -> tuple[str, str]:
        """The two steps as they are read, the one that goes first before the other."""
        return f"“{self.method.steps[self.first].text}”", f"“{self.method.steps[self.then].text}”"

    @property
    def swapped(self) -> Method:
        """The method led the other way round."""
        steps = list(self.method.steps)
        steps[self.first], steps[self.then] = steps[self.then], steps[self.first]
        return self.method.model_copy(update={"steps": tuple(steps)})


class _Known(Checked):
    """An order in the methods of `families`: each of its two steps by words in its text."""

    families: tuple[Key, ...]
    first: Text
    then: Text
    left: Annotated[Number, Field(ge=0, lt=1)]
    why: Text


class _Orders(Checked):
    orders: Annotated[tuple[_Known, ...], Field(min_length=1)]


@data_file
def _orders() -> dict[str, _Known]:
    read = read_toml(Path(__file__).with_name("orders.toml"), _Orders).orders
    return {family: each for each in read for family in each.families}


def order_of(method: Method) -> Order | None:
    """Return the order that matters in a method; None where none is known, or a team's own has not both steps.

    Raises BadDataFile on a faulty file.
    """
    known = _orders().get(method.family)
    if known is None:
        return None

    def step(words: str) -> int | None:
        return next((n for n, each in enumerate(method.steps) if words in each.text), None)

    first, then = step(known.first), step(known.then)
    return None if first is None or then is None else Order(method, first, then, known.left, known.why)
