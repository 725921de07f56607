"""Made-up readings for practice and for showing Kessa: what a person would read in water of known strength."""

from __future__ import annotations

import math
from itertools import pairwise
from random import Random
from typing import Any

from kessa.core.methods.parts import Part


def simulated(part: Part, strength: float, chance: Random) -> dict[str, Any]:
    """Return what a careful person would read by a part of a method in water of `strength` (the part's unit).

    A count is not held to the range's maximum: where it is beyond, there was no end within the range.
    """
    return _READ[part.kind](part, strength, chance)


def _count(part: Part, strength: float, chance: Random) -> dict[str, Any]:
    # Drops of one bottle differ by about 2 %; now and then the colour begins to turn a drop before it stays.
    size = chance.gauss(1.0, 0.02)
    per = (part.numbers.per or 1.0) * max(size, 0.5)
    count = max(1, math.ceil(strength / per + (part.numbers.background or 0.0)))
    turned_before = count > 2 and chance.random() < 0.25
    return {"count": count, "first_change": count - 1 if turned_before else None}


def _volume(part: Part, strength: float, chance: Random) -> dict[str, Any]:
    numbers = part.numbers
    per_ml = (numbers.normality or 1.0) * (numbers.eq_weight or 1.0) * 1000 / (numbers.sample_ml or 1.0)
    used = strength * chance.gauss(1.0, 0.01) / per_ml + (numbers.blank_ml or 0.0)
    start = _to(0.05, chance.uniform(0, 2))
    return {"start": start, "end": round(start + _to(numbers.resolution_ml or 0.05, used), 6)}


def _direct(part: Part, strength: float, chance: Random) -> dict[str, Any]:
    numbers = part.numbers
    read = _to(numbers.resolution or 0.01, strength * chance.gauss(1.0, 0.015) / (numbers.multiplier or 1.0))
    fills = int(read // numbers.full_scale) if numbers.full_scale else 0
    return {"scale": round(read - fills * (numbers.full_scale or 0.0), 6), "fills": fills or None}


def _difference(part: Part, strength: float, chance: Random) -> dict[str, Any]:
    supply = chance.randint(2, 4)
    return {"supply": supply, "system": max(1, supply + round(strength * chance.gauss(1.0, 0.03)))}


def _scale(part: Part, strength: float, chance: Random) -> dict[str, Any]:
    steps, seen = part.numbers.steps or (), strength * chance.gauss(1.0, 0.03)
    if seen < steps[0] / 2:
        return {"below": True}
    if seen > steps[-1] * 1.1:
        return {"above": True}
    for low, high in pairwise(steps):
        if low + (high - low) * 0.3 < seen < high - (high - low) * 0.3:
            return {"between": [low, high]}
    return {"at": min(steps, key=lambda step: abs(step - seen))}


def _chart(part: Part, strength: float, chance: Random) -> dict[str, Any]:
    pairs = part.numbers.pairs or ((0.0, 0.0),)
    seen = strength * chance.gauss(1.0, 0.04)
    return {"mark": min(pairs, key=lambda pair: abs(pair[1] - seen))[0]}


def _photometer(part: Part, strength: float, chance: Random) -> dict[str, Any]:
    _, high = part.numbers.range or (0.0, 1.0)
    display = _to(10 ** math.floor(math.log10(high) - 2), max(strength * chance.gauss(1.0, 0.02), 0.0))
    return {"over": True} if display > high else {"display": display}


def _meter(part: Part, strength: float, chance: Random) -> dict[str, Any]:
    numbers = part.numbers
    temperature = round(chance.gauss(12, 2), 1)
    shown = strength * (1 + (numbers.per_degree or 0.0) * (temperature - (numbers.reference_c or 25.0)))
    reading = {"display": _to(numbers.resolution or 0.01, shown)}
    return {**reading, "temperature_c": temperature} if part.with_temperature else reading


def _depth(part: Part, strength: float, chance: Random) -> dict[str, Any]:
    return {"down": _to(5, strength + chance.uniform(0, 10)), "up": _to(5, max(strength - chance.uniform(0, 10), 0.0))}


def _to(resolution: float, value: float) -> float:
    return round(round(value / resolution) * resolution, 6)


_READ = {
    "count": _count,
    "volume": _volume,
    "direct": _direct,
    "difference": _difference,
    "scale": _scale,
    "chart": _chart,
    "photometer": _photometer,
    "meter": _meter,
    "depth": _depth,
}
