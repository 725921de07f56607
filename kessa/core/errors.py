"""The one error of the core, and numbers that can be used."""

from __future__ import annotations

import math
from typing import Any


class CannotCompute(ValueError):
    """What was asked cannot be computed; `field` is the innermost name at fault."""

    def __init__(self, message: str, field: str) -> None:
        super().__init__(message)
        self.message = message
        self.field = field


def finite(value: float, field: str) -> float:
    """Return `value` unless arithmetic overflowed; raises CannotCompute on `field` then."""
    if not math.isfinite(value):
        raise CannotCompute(f"With this {field} the result is too large to compute.", field)
    return value


def checked_number(value: Any, name: str) -> float:
    """Return `value` as a finite float; raises CannotCompute on `name` (true and false are no numbers)."""
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise CannotCompute(f"{name} must be a number.", name)
    try:
        number = float(value)
    except OverflowError:
        number = math.inf
    if not math.isfinite(number):
        raise CannotCompute(f"{name} is not a number that can be used.", name)
    return number
