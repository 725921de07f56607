"""Arguments with units: each is checked, and brought into its unit, before a formula sees it."""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from functools import wraps
from inspect import signature
from typing import Any, NamedTuple, ParamSpec, TypeVar

from kessa.core.errors import CannotCompute, checked_number
from kessa.core.quantities.units import convert, sign

# How the name of an argument ends that says its unit.
UNIT_IN_NAME = re.compile("_(mg_l|kg_l|l_s|l_min|kpa|percent|ml|mm|c|l|m|g)$")
P = ParamSpec("P")
R = TypeVar("R")


class Measured(float):
    """A number with its unit (of units.UNITS or units.AROUND) and chemical form, for a function that takes another.

    >>> Measured(68, "degF").unit
    'degF'
    """

    unit: str
    form: str | None

    def __new__(cls, value: float, unit: str, form: str | None = None) -> Measured:
        """Keep a number with its unit; raises CannotCompute on `value` that is no finite number."""
        made = super().__new__(cls, checked_number(value, "value"))
        made.unit, made.form = unit, form
        return made


class Takes(NamedTuple):
    """What an argument is given in, and from where to where it may go; `above` where `low` itself may not be."""

    unit: str | None
    low: float = -math.inf
    high: float = math.inf
    form: str | None = None
    above: bool = False

    def number(self, value: Any, name: str) -> Any:
        """Return `value` in the unit, or None; raises CannotCompute on `name`."""
        # Mostly it is as it should be: a thousand draws of an interval go by here.
        if value is None or (type(value) is float and self.low < value < self.high):
            return value
        if isinstance(value, Measured):
            value = self._converted(value, name)
        number = checked_number(value, name)
        if number > self.high or number < self.low or (self.above and number == self.low):
            raise CannotCompute(self._refusal(name), name)
        return number

    def _refusal(self, name: str) -> str:
        words = "pH" if name == "ph" else UNIT_IN_NAME.sub("", name).replace("_", " ")
        unit = f" {sign(self.unit or '')}".rstrip()
        if self.high < math.inf:
            return f"This is known for {words} from {self.low:g} to {self.high:g}{unit} only."
        return f"{words} {'must be above' if self.above else 'cannot be below'} {self.low:g}{unit}."

    def _converted(self, value: Measured, name: str) -> float:
        if self.unit is None:
            raise CannotCompute(f"{name} takes a number alone: its unit is that of what stands beside it.", name)
        if value.unit == self.unit and value.form == self.form:
            return float(value)
        try:
            return convert(float(value), value.unit, value.form, self.unit, self.form)
        except CannotCompute as why:
            raise CannotCompute(why.message, name) from why


def above_0(unit: str | None, form: str | None = None) -> Takes:
    """Take what is above 0."""
    return Takes(unit, 0.0, form=form, above=True)


def from_0(unit: str | None, form: str | None = None) -> Takes:
    """Take what is 0 or more."""
    return Takes(unit, 0.0, form=form)


def takes(**arguments: Takes) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """Have arguments of a function checked and brought into its units; None, where one may be left out, stays None.

    >>> @takes(temperature_c=Takes("degC", -5, 100))
    ... def kelvin(temperature_c: float) -> float:
    ...     return temperature_c + 273.15
    >>> kelvin(Measured(68, "degF"))
    293.15
    """

    def wrap(function: Callable[P, R]) -> Callable[P, R]:
        names = list(signature(function).parameters)
        in_order = [(names.index(name), name, each) for name, each in arguments.items()]

        @wraps(function)
        def checked(*given: Any, **named: Any) -> R:
            positional = list(given)
            for at, name, each in in_order:
                if at < len(positional):
                    positional[at] = each.number(positional[at], name)
                elif name in named:
                    named[name] = each.number(named[name], name)
            return function(*positional, **named)

        checked.takes = arguments  # type: ignore[attr-defined]
        return checked

    return wrap
