"""Limits that depend on other readings of the same sample."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from itertools import product
from typing import NamedTuple

from kessa.core.errors import CannotCompute
from kessa.core.judging.aquatic import METALS, ammonia_criteria, metal_criteria
from kessa.core.quantities.quantity import Quantity

NO_TROUT = "no-trout"


class Needed(NamedTuple):
    """A reading that a formula rests on: of which parameter, in which unit and form."""

    parameter: str
    unit: str
    form: str | None = None


class Formula(NamedTuple):
    """A limit by other readings: `of` gives it (value, note) from their numbers and what lives there."""

    words: str
    needs: tuple[Needed, ...]
    of: Callable[[tuple[float, ...], bool], tuple[float, str]]


class Computed(NamedTuple):
    """What a formula comes to: by the values, the least and the most that the intervals leave, and by what."""

    value: float
    least: float
    most: float
    words: str


_PH = Needed("pH", "pH")
_WARMTH = Needed("temperature", "degC")
_HARDNESS = Needed("total hardness", "mg/L", "CaCO3")


def _ammonia(*, chronic: bool, times: float = 1.0) -> Formula:
    def of(given: tuple[float, ...], trout: bool) -> tuple[float, str]:
        found = ammonia_criteria(given[0], given[1], salmonids=trout)
        return times * (found.chronic if chronic else found.acute), ""

    return Formula("by pH and temperature", (_PH, _WARMTH), of)


def _metal(metal: str, *, chronic: bool) -> Formula:
    def of(given: tuple[float, ...], _: bool) -> tuple[float, str]:
        found = metal_criteria(metal, given[0])
        return (found.chronic if chronic else found.acute), found.note

    return Formula("by hardness", (_HARDNESS,), of)


# Of which parameters a reading gives another's limit.
GIVES_A_LIMIT = frozenset(need.parameter for need in (_PH, _WARMTH, _HARDNESS))
# The highest four-day average within thirty days: 2.5 times the chronic criterion (US EPA 822-R-13-001, 2013).
FORMULAS: dict[str, Formula] = {"ammonia-4-day": _ammonia(chronic=True, times=2.5)}
for _end in ("acute", "chronic"):
    FORMULAS[f"ammonia-{_end}"] = _ammonia(chronic=_end == "chronic")
    for _name in METALS:
        FORMULAS[f"{_name}-{_end}"] = _metal(_name, chronic=_end == "chronic")


def computed_limit(name: str, readings: Mapping[str, Quantity], *, trout: bool) -> Computed:
    """Return a limit from readings of the same sample, by parameter; raises CannotCompute with what lacks or fails.

    With the intervals of the readings the limit itself has one: it is taken at their corners, as each formula rises or
    falls with each of them throughout.
    """
    formula = FORMULAS[name]
    lacking = [need.parameter for need in formula.needs if need.parameter not in readings]
    if lacking:
        raise CannotCompute(f"it needs {' and '.join(lacking)} of the same sample", "formula")
    given = [
        readings[need.parameter].converted(need.unit, need.form or readings[need.parameter].form)
        for need in formula.needs
    ]
    value, note = formula.of(tuple(each.value for each in given), trout)
    corners = [
        _at_or_value(formula, corner, trout, value)
        for corner in product(*((each.low, each.value if each.high is None else each.high) for each in given))
    ]
    words = ", ".join(f"{need.parameter} {each.value:.4g}" for need, each in zip(formula.needs, given, strict=True))
    return Computed(value, min(corners), max(corners), f"from {words}{'; ' + note if note else ''}")


def _at_or_value(formula: Formula, corner: tuple[float, ...], trout: bool, value: float) -> float:
    """A corner beyond where the formula holds says nothing: the limit by the values stands there."""
    try:
        return formula.of(corner, trout)[0]
    except CannotCompute:
        return value
