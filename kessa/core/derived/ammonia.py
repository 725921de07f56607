"""How much of the ammonia is un-ionised, the part that harms fish."""

from __future__ import annotations

from kessa.core.quantities.measured import Takes, from_0, takes
from kessa.core.quantities.units import convert

_PH, _WARMTH = Takes("pH", 0, 14), Takes("degC", -5, 100)


@takes(ph=_PH, temperature_c=_WARMTH)
def unionised_fraction(ph: float, temperature_c: float) -> float:
    """Return which fraction (0 to 1) of total ammonia is NH3 in fresh water.

    `ph` 0 to 14, `temperature_c` −5 to 100 °C (measured for 0 to 50); raises CannotCompute outside.
    Emerson, Russo, Lund and Thurston (1975): pKa = 0.09018 + 2729.92/T.

    >>> round(unionised_fraction(8, 20), 4)
    0.0381
    """
    pka = 0.09018 + 2729.92 / (temperature_c + 273.15)
    return float(1 / (1 + 10 ** (pka - ph)))


@takes(total_as_n=from_0("mg/L", "N"), ph=_PH, temperature_c=_WARMTH)
def unionised_ammonia(total_as_n: float, ph: float, temperature_c: float) -> tuple[float, float]:
    """Return the un-ionised part of total ammonia (mg/L as N, 0 or more) as N and as NH3; see unionised_fraction."""
    as_n = total_as_n * unionised_fraction(ph, temperature_c)
    return as_n, convert(as_n, "mg/L", "N", "mg/L", "NH3")
