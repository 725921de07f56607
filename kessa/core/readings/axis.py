"""A reading as one number on a line: what a page needs to find its place among results worked out beforehand."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, NamedTuple

_NOTHING: Mapping[str, Any] = {}


class Axis(NamedTuple):
    """A way of reading, by its number x: `reading` makes a reading of an x from `least` to `most`.

    It holds for readings whose fields are as in `when` (None: not given). x = (constant + Σ weight·field + Σ of `logs`
    weight·log10(field) + the highest of `highest`) / Σ of `over` weight·field, in which "" stands for 1.
    `usual` is what a field is taken for that is not given. Results may jump or bend at `marks`; only whole numbers are
    read where it is `whole`. An interval reaches at least to the `covers` fields. The fields of `rising` stand in
    order, or it is no reading: `else_` says so.
    """

    reading: Callable[[float], dict[str, Any]]
    least: float = 0.0
    most: float = 0.0
    when: Mapping[str, Any] = _NOTHING
    constant: float = 0.0
    weights: Mapping[str, float] = _NOTHING
    logs: Mapping[str, float] = _NOTHING
    highest: tuple[str, ...] = ()
    over: Mapping[str, float] = _NOTHING
    usual: Mapping[str, Any] = _NOTHING
    marks: tuple[float, ...] = ()
    covers: tuple[str, ...] = ()
    whole: bool = False
    rising: tuple[str, ...] = ()
    else_: str = ""

    @classmethod
    def of_choice(cls, reading: dict[str, Any]) -> Axis:
        """Return the axis of something to choose: a single place."""
        return cls(lambda _: reading, when=reading)

    def as_sent(self) -> dict[str, Any]:
        """Return as plain data what finds x; what says nothing is left out."""
        data = self._asdict()
        kept = ("when", "constant", "weights", "logs", "highest", "over", "usual", "covers", "rising", "else_")
        return {key.rstrip("_"): data[key] for key in kept if data[key]}
