"""Which reagent goes in before which, and what is still found the other way round; they are data, in orders.toml."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from typing import Annotated

from pydantic import Field

from kessa.core.checked import Checked, Number
from kessa.core.datafile import read_toml
from kessa.core.methods.parts import Key, Text
from kessa.core.methods.schema import Method


class Order(Checked):
    """Two steps of the methods of `families`, each by words in its text; `left` is the share found where they swap."""

    families: tuple[Key, ...]
    first: Text
    then: Text
    left: Annotated[Number, Field(ge=0, lt=1)]
    why: Text

    def steps_of(self, method: Method) -> tuple[int, int] | None:
        """Return which steps of a method the two are, from 0; None where a team's own version has them no longer."""
        found = [n for words in (self.first, self.then) for n, step in enumerate(method.steps) if words in step.text]
        return (found[0], found[1]) if len(found) == 2 else None

    def in_words(self, method: Method) -> tuple[str, str]:
        """Return the two steps of a method that has them as they are read, the one that goes first before the other."""
        first, then = (
            next(step.text for step in method.steps if words in step.text) for words in (self.first, self.then)
        )
        return f"“{first}”", f"“{then}”"

    def swapped(self, method: Method) -> Method:
        """Return a method that is led the other way round."""
        steps = list(method.steps)
        if places := self.steps_of(method):
            first, then = places
            steps[first], steps[then] = steps[then], steps[first]
        return method.model_copy(update={"steps": tuple(steps)})


class _Orders(Checked):
    orders: Annotated[tuple[Order, ...], Field(min_length=1)]


@cache
def _orders() -> dict[str, Order]:
    read = read_toml(Path(__file__).with_name("orders.toml"), _Orders).orders
    return {family: each for each in read for family in each.families}


def order_of(method: Method) -> Order | None:
    """Return the order that matters in a method; None where none is known. Raises BadDataFile on a faulty file."""
    order = _orders().get(method.family)
    return order if order and order.steps_of(method) else None
