"""How much oxygen water can hold, and what part of it is there."""

from __future__ import annotations

import math

from kessa.core.errors import finite
from kessa.core.quantities.measured import Takes, from_0, takes

STANDARD_KPA = 101.325
_WARMTH, _SALINITY, _PRESSURE = Takes("degC", -0.5, 45), Takes("parts per thousand", 0, 40), Takes("kPa", 50, 115)


@takes(temperature_c=_WARMTH, salinity=_SALINITY, pressure_kpa=_PRESSURE)
def oxygen_saturation(temperature_c: float, salinity: float = 0.0, pressure_kpa: float = STANDARD_KPA) -> float:
    """Return the oxygen (mg/L) that water in contact with air holds.

    `temperature_c` −0.5 to 45 °C, `salinity` 0 to 40 parts per thousand, `pressure_kpa` 50 to 115 kPa of the air
    where the water is, not reduced to sea level; raises CannotCompute outside. Benson and Krause (1984), as tabulated
    by the US Geological Survey (Technical Memorandum 2011.03), with its term for pressure.

    >>> round(oxygen_saturation(20), 2)
    9.09
    """
    kelvin = temperature_c + 273.15
    fresh = math.exp(
        -139.34411 + 1.575701e5 / kelvin - 6.642308e7 / kelvin**2 + 1.243800e10 / kelvin**3 - 8.621949e11 / kelvin**4
    )
    salt = math.exp(-salinity * (0.017674 - 10.754 / kelvin + 2140.7 / kelvin**2))
    atmospheres = pressure_kpa / STANDARD_KPA
    theta = 0.000975 - 1.426e-5 * temperature_c + 6.436e-8 * temperature_c**2
    vapour = math.exp(11.8571 - 3840.70 / kelvin - 216961 / kelvin**2)
    air = (atmospheres - vapour) * (1 - theta * atmospheres) / ((1 - vapour) * (1 - theta))
    return fresh * salt * air


@takes(elevation_m=Takes("m", -500, 5000))
def pressure_at(elevation_m: float) -> float:
    """Return the usual pressure (kPa) of the air at a height of −500 to 5000 m; raises CannotCompute outside.

    The standard atmosphere (ISO 2533).

    >>> round(pressure_at(1000), 1)
    89.9
    """
    return float(STANDARD_KPA * (1 - 2.25577e-5 * elevation_m) ** 5.25588)


@takes(do_mg_l=from_0("mg/L"), temperature_c=_WARMTH, salinity=_SALINITY, pressure_kpa=_PRESSURE)
def oxygen_percent(
    do_mg_l: float, temperature_c: float, salinity: float = 0.0, pressure_kpa: float = STANDARD_KPA
) -> float:
    """Return dissolved oxygen (mg/L, 0 or more) as percent of what the water could hold (see oxygen_saturation)."""
    return finite(100 * do_mg_l / oxygen_saturation(temperature_c, salinity, pressure_kpa), "do_mg_l")
