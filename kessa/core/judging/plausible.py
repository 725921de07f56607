"""What is asked about a number before it is written down: slips of a digit or a unit, and what cannot be."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import NamedTuple

from kessa.core.judging.usual import UsualRange
from kessa.core.quantities.parameters import parameter
from kessa.core.quantities.quantity import Quantity, plain
from kessa.core.quantities.units import sign

DIGIT_SLIP, CANNOT_BE, STUCK, IMPOSSIBLE_PAIR = "digit-slip", "cannot-be", "stuck", "impossible-pair"
DOUBTS = (DIGIT_SLIP, CANNOT_BE, STUCK, IMPOSSIBLE_PAIR)
# A slip of a digit or a unit leaves just such a factor, give or take what water changes by itself.
_FACTORS, _GIVE = (10.0, 100.0, 1000.0), 1.6
_SAME = 10
# Between which numbers water of a kind can be: what lies beyond was misread, or is no such water.
_CAN_BE: dict[str, dict[str, tuple[float, float]]] = {
    "temperature": {"open": (-0.5, 40.0), "drinking": (0.0, 60.0), "plant": (-40.0, 250.0)},
    "pH": {"open": (3.0, 11.0), "drinking": (4.0, 11.5), "plant": (2.0, 14.0)},
    # Rain has some 5 µS/cm; what shows less was read in mS/cm.
    "conductivity": {"open": (2.0, 200_000.0), "drinking": (2.0, 20_000.0)},
    "dissolved oxygen": {"open": (0.0, 25.0), "drinking": (0.0, 20.0), "plant": (0.0, 20.0)},
    "oxygen saturation": {"open": (0.0, 250.0), "drinking": (0.0, 150.0), "plant": (0.0, 150.0)},
}
# 1 mg/L chloride, with whatever goes with it, makes at least so many µS/cm: as NaCl 3.5, less in strong water.
_CONDUCTS = 2.2
_NIGHT = (22, 5)
_MUCH_OXYGEN = 130.0


class Doubt(NamedTuple):
    """Something to ask: its flag, and the question with its reason."""

    key: str
    words: str


class Circumstance(NamedTuple):
    """What a number is seen beside: readings of its sample by parameter, its place's past values, water and hour."""

    readings: Mapping[str, Quantity]
    usual: UsualRange | None
    # The last values of the series, newest first, and of the pair's other end that day.
    last: Sequence[float]
    pair: float | None
    water: str
    at: datetime
    depth_cm: float | None = None


def doubts_about(name: str, quantity: Quantity, seen: Circumstance) -> list[Doubt]:
    """Return what is asked about a result of a parameter before it is written down, the gravest first."""
    found = [
        _cannot_be(name, quantity, seen),
        _impossible(name, quantity, seen),
        _slip(name, quantity, seen),
        _stuck(name, quantity, seen),
    ]
    return [doubt for doubt in found if doubt]


def bounds_of(name: str, water: str) -> tuple[float, float] | None:
    """Return between which numbers such water can be; None where nothing is known of it."""
    return _CAN_BE.get(name, {}).get(water)


def can_be(name: str, value: float, water: str) -> bool:
    """Whether a number can be of such water at all; what nothing is known of can."""
    bounds = bounds_of(name, water)
    return bounds is None or bounds[0] <= value <= bounds[1]


def _written(quantity: Quantity) -> str:
    return f"{plain(quantity.value)} {sign(quantity.unit)}".strip()


def _cannot_be(name: str, quantity: Quantity, seen: Circumstance) -> Doubt | None:
    key = parameter(name).key
    if quantity.censor is None and not can_be(key, quantity.value, seen.water):
        kind = {"open": "open water", "drinking": "drinking water"}.get(seen.water, "such water")
        words = f"{_written(quantity)} in {kind}? That can hardly be."
        return Doubt(CANNOT_BE, f"{words} Look at the reading and its unit again.")
    if key == "secchi depth" and seen.depth_cm and quantity.censor is None:
        deep = quantity.converted("cm", None).value
        if deep > seen.depth_cm * 1.05:
            words = f"The disc was seen down to {plain(deep)} cm, and the water is {plain(seen.depth_cm)} cm deep."
            return Doubt(CANNOT_BE, f"{words} Was the bottom seen? Or is one of the two in metres?")
    return None


# Of which pairs the first cannot be above the second, both as the second's unit and form.
_NOT_ABOVE = (
    ("calcium hardness", "total hardness"),
    ("P alkalinity", "alkalinity"),
    ("free chlorine", "total chlorine"),
)


# What is looked at together with other readings of its sample.
PAIRED = frozenset({name for pair in _NOT_ABOVE for name in pair} | {"chloride", "conductivity"})


def part_above_whole(part: str, one: Quantity, whole: str, other: Quantity) -> bool:
    """Whether one quantity is of a part of what the other is of, and all of it lies above all of that.

    >>> free, total = (Quantity(v, v - 0.1, v + 0.1, None, "mg/L", "Cl2") for v in (1.2, 0.8))
    >>> part_above_whole("free chlorine", free, "total chlorine", total)
    True
    """
    if (parameter(part).key, parameter(whole).key) not in _NOT_ABOVE or other.high is None:
        return False
    return one.converted(other.unit, other.form).low > other.high


def _impossible(name: str, quantity: Quantity, seen: Circumstance) -> Doubt | None:
    key = parameter(name).key
    for part, whole in _NOT_ABOVE:
        if key not in (part, whole):
            continue
        other = seen.readings.get(whole if key == part else part)
        if other is None:
            continue
        one, all_of_it = (quantity, other) if key == part else (other, quantity)
        if part_above_whole(part, one, whole, all_of_it):
            there = one.converted(all_of_it.unit, all_of_it.form)
            words = (
                f"{part[:1].upper()}{part[1:]} {_written(there)} is part of {whole}, which is {_written(all_of_it)}."
            )
            return Doubt(IMPOSSIBLE_PAIR, f"{words} One of the two slipped.")
    if key in ("chloride", "conductivity"):
        chloride = quantity if key == "chloride" else seen.readings.get("chloride")
        conductivity = quantity if key == "conductivity" else seen.readings.get("conductivity")
        if chloride and conductivity:
            least, most = _CONDUCTS * chloride.converted("mg/L", "Cl").low, conductivity.converted("uS/cm", None).high
            if most is not None and most < least:
                words = f"So much chloride alone conducts {plain(least)} µS/cm at least, not {_written(conductivity)}."
                return Doubt(IMPOSSIBLE_PAIR, f"{words} Look at the conductivity's unit, and at the count.")
    at_night = seen.at.hour >= _NIGHT[0] or seen.at.hour < _NIGHT[1]
    if key == "oxygen saturation" and seen.water == "open" and quantity.low > _MUCH_OXYGEN and at_night:
        words = f"{_written(quantity)} of what the water can hold, at night? Plants make oxygen by day only."
        return Doubt(IMPOSSIBLE_PAIR, f"{words} Look at the meter, the time and the temperature.")
    return None


def _slip(name: str, quantity: Quantity, seen: Circumstance) -> Doubt | None:
    """Ask where a number is ten, a hundred or a thousand times what it should be about, or that part of it."""
    if parameter(name).differences == "absolute" or quantity.censor is not None or quantity.value <= 0:
        return None
    expected, given = _expected(seen)
    if expected is None or expected <= 0:
        return None
    if seen.usual and seen.usual.low <= quantity.value <= seen.usual.high:
        return None
    for factor in _FACTORS:
        for off, words in ((factor, f"{factor:.0f} times"), (1 / factor, f"a {_PARTS[factor]} of")):
            if 1 / _GIVE <= quantity.value / (expected * off) <= _GIVE:
                about = f"{words} {given}, {plain(expected)} {sign(quantity.unit)}".strip()
                slipped = _UNITS.get((quantity.unit, factor), "Did a digit or the unit slip?")
                return Doubt(DIGIT_SLIP, f"{_written(quantity)} is about {about}. {slipped}")
    return None


_PARTS = {10.0: "tenth", 100.0: "hundredth", 1000.0: "thousandth"}
_UNITS = {
    ("uS/cm", 1000.0): "Did the display show mS/cm?",
    ("mS/cm", 1000.0): "Did the display show µS/cm?",
    ("cm", 100.0): "Metres for centimetres?",
    ("m", 100.0): "Centimetres for metres?",
}


def _expected(seen: Circumstance) -> tuple[float | None, str]:
    """What a number should be about: what is usual, else what was found last, else what the pair has that day."""
    if seen.usual:
        return seen.usual.median, "what is usual here"
    if seen.last:
        return seen.last[0], "what was found here last"
    return seen.pair, "what the place compared has"


def _stuck(name: str, quantity: Quantity, seen: Circumstance) -> Doubt | None:
    """Ask where a number has come out the very same ten times: an instrument, or a habit, may be stuck."""
    same = [value for value in seen.last[: _SAME - 1] if value == quantity.value]
    if len(same) < _SAME - 1 or quantity.censor is not None or quantity.value == 0:
        return None
    words = f"{_written(quantity)} for the tenth time running."
    return Doubt(STUCK, f"{words} Was it read anew, and does the instrument move?")
