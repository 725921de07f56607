"""The named arguments of a request, read one at a time; kept plain so that one request starts in a blink."""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Mapping
from typing import Any

from kessa.core.errors import CannotCompute, checked_number

Answer = dict[str, Any]
_MISSING = object()


class Arguments:
    """A mapping of named arguments, read one at a time and checked.

    null counts as absent. A name that is not in `known` is an error on itself, so that a misspelt one is never ignored.
    """

    def __init__(self, given: Any, name: str, known: Collection[str]) -> None:
        if not isinstance(given, Mapping):
            raise CannotCompute(f"{name} must be an object with named fields.", name)
        self._given = {key: value for key, value in given.items() if value is not None}
        for key in self._given:
            if key not in known:
                raise CannotCompute(f"{key} is not an argument of {name}.", str(key))

    def _get(self, name: str, default: Any) -> Any:
        if name in self._given:
            return self._given[name]
        if default is _MISSING:
            raise CannotCompute(f"{name} is missing.", name)
        return default

    def whole_request(self) -> Mapping[str, Any]:
        """Return every argument as it came, unchecked; what numbers the request is not among them."""
        return {key: value for key, value in self._given.items() if key not in ("op", "id")}

    def mapping(self, name: str) -> Mapping[str, Any]:
        """Return an object, its fields unchecked."""
        value = self._get(name, _MISSING)
        if not isinstance(value, Mapping):
            raise CannotCompute(f"{name} must be an object with named fields.", name)
        return value

    def number(
        self,
        name: str,
        default: Any = _MISSING,
        *,
        least: float | None = None,
        above: float | None = None,
        most: float | None = None,
    ) -> Any:
        """Return a finite number within `least` … `most` (both allowed) and over `above`; `default` where absent."""
        if name not in self._given:
            return self._get(name, default)
        number = checked_number(self._given[name], name)
        if least is not None and number < least:
            raise CannotCompute(f"{name} cannot be below {least:g}.", name)
        if above is not None and number <= above:
            raise CannotCompute(f"{name} must be above {above:g}.", name)
        if most is not None and number > most:
            raise CannotCompute(f"{name} cannot be above {most:g}.", name)
        return number

    def whole(self, name: str, default: Any = _MISSING, *, least: float = 0) -> Any:
        """Return a whole number of at least `least`; `default` where absent."""
        number = self.number(name, default, least=least)
        if number is not None and number != math.floor(number):
            raise CannotCompute(f"{name} must be a whole number.", name)
        return number

    def text(self, name: str, default: Any = _MISSING, *, choices: Collection[str] | None = None) -> Any:
        """Return a string, one of `choices` where given; `default` where absent."""
        value = self._get(name, default)
        if value is default:
            return value
        if not isinstance(value, str):
            raise CannotCompute(f"{name} must be text.", name)
        if choices is not None and value not in choices:
            raise CannotCompute(f"{name} must be one of: {', '.join(choices)}.", name)
        return value

    def flag(self, name: str, default: bool) -> bool:
        """Return true or false; `default` where absent."""
        value = self._get(name, default)
        if not isinstance(value, bool):
            raise CannotCompute(f"{name} must be true or false.", name)
        return value

    def numbers(self, name: str, *, most: int, otherwise: Callable[[Any], Any] | None = None) -> list[Any]:
        """Return a list of 1 to `most` finite numbers; an object in it is read by `otherwise`, where given."""
        value = self._get(name, _MISSING)
        if not isinstance(value, list) or not value:
            raise CannotCompute(f"{name} must be a list of at least one number.", name)
        if len(value) > most:
            raise CannotCompute(f"{name} holds more than {most:,} numbers.", name)
        if otherwise is None:
            return [checked_number(item, name) for item in value]
        return [otherwise(item) if isinstance(item, Mapping) else checked_number(item, name) for item in value]

    def labels(self, name: str) -> list[str | int | float]:
        """Return a list of labels: texts or numbers."""
        value = self._get(name, _MISSING)
        if not isinstance(value, list) or any(
            isinstance(each, bool) or not isinstance(each, str | int | float) for each in value
        ):
            raise CannotCompute(f"{name} must be a list of labels.", name)
        return value

    def span(self, name: str) -> tuple[float, float]:
        """Return a list of two numbers, 0 ≤ low < high."""
        numbers = self.numbers(name, most=2)
        if len(numbers) != 2 or not 0 <= numbers[0] < numbers[1]:
            raise CannotCompute(f"{name} is [low, high], from 0 up.", name)
        return numbers[0], numbers[1]

    def pairs(self, name: str, *, most: int) -> list[tuple[float, float]]:
        """Return a list of 1 to `most` pairs of finite numbers."""
        value = self._get(name, _MISSING)
        if not isinstance(value, list) or not 1 <= len(value) <= most:
            raise CannotCompute(f"{name} must be a list of 1 to {most:,} pairs.", name)
        if any(not isinstance(pair, list) or len(pair) != 2 for pair in value):
            raise CannotCompute(f"{name} holds pairs of two numbers each.", name)
        return [(checked_number(first, name), checked_number(second, name)) for first, second in value]

    def texts(self, name: str) -> list[str]:
        """Return a list of strings."""
        value = self._get(name, _MISSING)
        if not isinstance(value, list) or any(not isinstance(each, str) for each in value):
            raise CannotCompute(f"{name} must be a list of names.", name)
        return value

    def sections(self, name: str, known: Collection[str], *, least: int = 1, most: int) -> list[Arguments]:
        """Return a list of `least` to `most` objects as arguments of their own, each with fields of `known` alone."""
        value = self._get(name, _MISSING)
        if not isinstance(value, list) or not least <= len(value) <= most:
            raise CannotCompute(f"{name} must be a list of {least} to {most} objects.", name)
        return [Arguments(each, name, known) for each in value]

    def as_given(self) -> dict[str, Any]:
        """Return them as they were given, unchecked."""
        return dict(self._given)

    def has(self, name: str) -> bool:
        """Whether an argument was given."""
        return name in self._given

    def section(self, name: str, known: Collection[str]) -> Arguments:
        """Return the object under `name` as arguments of their own."""
        return Arguments(self.mapping(name), name, known)
