"""Criteria for life in fresh water that depend on the water itself."""

from __future__ import annotations

import math
from typing import NamedTuple

from kessa.core.quantities.measured import Takes, from_0, takes

# Of the hardness equations: slope and intercept of the total, acute then chronic, and the dissolved part, which for two
# metals falls with hardness: a − b·ln(hardness). US EPA: copper, zinc, lead 1996 (EPA-820-B-96-001), cadmium 2016
# (EPA-820-R-16-002).
_METALS = {
    "copper": ((0.9422, -1.700, 0.960, 0.0), (0.8545, -1.702, 0.960, 0.0)),
    "zinc": ((0.8473, 0.884, 0.978, 0.0), (0.8473, 0.884, 0.986, 0.0)),
    "lead": ((1.273, -1.460, 1.46203, 0.145712), (1.273, -4.705, 1.46203, 0.145712)),
    "cadmium": ((0.9789, -3.866, 1.136672, 0.041838), (0.7977, -3.909, 1.101672, 0.041838)),
}
METALS = tuple(_METALS)
_HARDNESS_LEAST, _HARDNESS_MOST = 25.0, 400.0


class Criteria(NamedTuple):
    """What water life stands for an hour (acute) and for days (chronic); `note` says what the numbers rest on."""

    acute: float
    chronic: float
    unit: str
    form: str | None = None
    note: str = ""


@takes(ph=Takes("pH", 6.5, 9), temperature_c=Takes("degC", 0, 30))
def ammonia_criteria(ph: float, temperature_c: float, *, salmonids: bool = True) -> Criteria:
    """Return the criteria for total ammonia, mg/L as N; `salmonids` whether trout or salmon live there.

    `ph` 6.5 to 9, `temperature_c` 0 to 30 °C; raises CannotCompute outside. US EPA (2013), EPA-822-R-13-001: mussels
    are taken to be present, and early stages of fish are protected.
    """
    by_ph = 0.0114 / (1 + 10 ** (7.204 - ph)) + 1.6181 / (1 + 10 ** (ph - 7.204))
    mussels = 23.12 * 10 ** (0.036 * (20 - temperature_c))
    if salmonids:
        trout = 0.275 / (1 + 10 ** (7.204 - ph)) + 39.0 / (1 + 10 ** (ph - 7.204))
        acute = min(trout, 0.7249 * by_ph * mussels)
    else:
        acute = 0.7249 * by_ph * min(51.93, mussels)
    slow = 0.0278 / (1 + 10 ** (7.688 - ph)) + 1.1994 / (1 + 10 ** (ph - 7.688))
    chronic = 0.8876 * slow * 2.126 * 10 ** (0.028 * (20 - max(temperature_c, 7)))
    return Criteria(acute, chronic, "mg/L", "N")


@takes(hardness=from_0("mg/L", "CaCO3"))
def metal_criteria(metal: str, hardness: float) -> Criteria:
    """Return the criteria for a dissolved metal (one of METALS), ug/L, at a hardness in mg/L as CaCO3, 0 or more.

    The equations hold from 25 to 400 mg/L: outside, the nearer end is used and the note says so. Raises CannotCompute
    on a hardness below 0.
    """
    used = min(max(hardness, _HARDNESS_LEAST), _HARDNESS_MOST)
    acute, chronic = (
        math.exp(slope * math.log(used) + intercept) * (whole - falling * math.log(used))
        for slope, intercept, whole, falling in _METALS[metal]
    )
    note = "" if used == hardness else f"hardness taken as {used:g} mg/L: the equation holds from 25 to 400"
    return Criteria(acute, chronic, "ug/L", None, note)


def chloride_criteria() -> Criteria:
    """Return the criteria for chloride, mg/L: US EPA (1988), EPA 440/5-88-001."""
    return Criteria(860.0, 230.0, "mg/L")
