"""How far water is concentrated in a system that evaporates, and what has to leave it."""

from __future__ import annotations

from typing import NamedTuple

from kessa.core.errors import CannotCompute, finite
from kessa.core.quantities.measured import above_0, from_0, takes


class Flows(NamedTuple):
    """Water that leaves a tower (blowdown, drift counted in) and that replaces it, in the unit of the evaporation."""

    blowdown: float
    makeup_flow: float


@takes(system=from_0(None), makeup=above_0(None))
def cycles_of_concentration(system: float, makeup: float) -> float:
    """Return how often the make-up is concentrated: `system` ≥ 0 over `makeup` > 0, one conserved ion or conductivity.

    Raises CannotCompute on either. An ion that is dosed, or that falls out as scale, is no measure of it.
    """
    return finite(system / makeup, "makeup")


@takes(cycles=from_0(None), evaporation=from_0(None))
def flows_of_tower(cycles: float, evaporation: float) -> Flows:
    """Return blowdown = evaporation/(cycles − 1) and the make-up; `evaporation` ≥ 0 in any unit of flow.

    Raises CannotCompute on `system` where cycles are 1 or less: a system that evaporates concentrates. A balance of
    water and of the ion.
    """
    if cycles <= 1:
        raise CannotCompute(
            "The system is not more concentrated than its make-up, so nothing follows of flows.", "system"
        )
    blowdown = finite(evaporation / (cycles - 1), "evaporation")
    return Flows(blowdown, finite(evaporation + blowdown, "evaporation"))


@takes(feed=above_0(None), limit=above_0(None))
def boiler_blowdown(feed: float, limit: float) -> tuple[float, float]:
    """Return the blowdown (percent of the feed water) that keeps a boiler at a limit, and the cycles there.

    `feed` and `limit` above 0, both TDS or both conductivity; raises CannotCompute on either. A balance of salts: the
    steam takes none along.
    """
    return finite(100 * feed / limit, "limit"), finite(limit / feed, "feed")
