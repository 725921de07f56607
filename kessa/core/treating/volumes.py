"""How much a system holds: from its pipes, radiators and vessels, or from a known weight of a salt put in."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

from kessa.core.errors import CannotCompute, finite
from kessa.core.quantities.measured import above_0, takes
from kessa.core.quantities.spread import Spread, spread
from kessa.core.treating.dosing import volume_by_tracer

# A drawing leaves out bends, valves and heat exchangers; radiators of one size differ.
_PIPES_OFF, _RADIATORS_OFF, _VESSELS_OFF = 10.0, 15.0, 5.0


class Pipe(NamedTuple):
    """A run of pipe: its inner diameter (mm) and length (m)."""

    inner_mm: float
    length_m: float


class Counted(NamedTuple):
    """So many of the same radiators or vessels, each of so many litres."""

    number: float
    litres: float


def pipe_litres(pipe: Pipe) -> float:
    """Return what a run of pipe holds: π/4·diameter²·length. Raises CannotCompute on what is below 0.

    >>> round(pipe_litres(Pipe(25, 100)), 1)
    49.1
    """
    for name, value in pipe._asdict().items():
        if not value >= 0:
            raise CannotCompute(f"{name} cannot be below 0.", name)
    return finite(math.pi / 4 * (pipe.inner_mm / 1000) ** 2 * pipe.length_m * 1000, "length_m")


@takes(standing_m=above_0("m"), bore_mm=above_0("mm"))
def water_in_well(standing_m: float, bore_mm: float) -> float:
    """Return how many litres stand in a well: π/4·diameter²·height; `standing_m` and `bore_mm` above 0.

    Raises CannotCompute on either.

    >>> round(water_in_well(20, 150))
    353
    """
    return pipe_litres(Pipe(bore_mm, standing_m))


def volume_by_parts(pipes: Sequence[Pipe], radiators: Sequence[Counted], vessels: Sequence[Counted]) -> Spread:
    """Return what a system holds, summed over its parts, with how far off such sums are.

    Pipes by their inner diameter are taken to be 10 % off, radiators by their maker's figure 15 %, vessels by their
    plate 5 %. Raises CannotCompute on what is below 0, and on `parts` where there are none.
    """
    for each in (*radiators, *vessels):
        if not (each.number >= 0 and each.litres >= 0):
            raise CannotCompute("A number or a volume cannot be below 0.", "litres")
    sums = (
        (sum(map(pipe_litres, pipes)), _PIPES_OFF),
        (sum(each.number * each.litres for each in radiators), _RADIATORS_OFF),
        (sum(each.number * each.litres for each in vessels), _VESSELS_OFF),
    )
    total = finite(sum(litres for litres, _ in sums), "litres")
    if total <= 0:
        raise CannotCompute("Give at least one pipe, radiator or vessel.", "parts")
    off = sum(litres * percent / 100 for litres, percent in sums)
    return Spread(total, total - off, total + off)


def volume_by_salt(added_g: Spread, before: Spread, after: Spread) -> Spread:
    """Return what a system holds, from a weight of salt and its level before and after mixing, each with its interval.

    Levels in mg/L as what was weighed. Raises CannotCompute as volume_by_tracer does; where the levels may be the same,
    nothing bounds the volume above.
    """
    return spread(volume_by_tracer, added_g, after, before)
