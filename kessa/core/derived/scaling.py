"""Whether water tends to lay down lime or to dissolve it."""

from __future__ import annotations

import math
from typing import NamedTuple

from kessa.core.quantities.measured import Takes, above_0, takes

_HARDNESS = above_0("mg/L", "CaCO3")


class Indices(NamedTuple):
    """pH of saturation with lime; indices of Langelier (1936), Ryznar (1944), Puckorius and Brooke (1991)."""

    phs: float
    langelier: float
    ryznar: float
    puckorius: float


@takes(
    ph=Takes("pH", 0, 14), temperature_c=Takes("degC", -5, 100), calcium_hardness=_HARDNESS, alkalinity=_HARDNESS,
    tds=above_0("mg/L"),
)  # fmt: skip
def scaling_indices(ph: float, temperature_c: float, calcium_hardness: float, alkalinity: float, tds: float) -> Indices:
    """Return the indices; hardness and alkalinity in mg/L as CaCO3, `tds` in mg/L, all above 0.

    `ph` 0 to 14, `temperature_c` −5 to 100 °C; raises CannotCompute outside. pHs = (9.3 + A + B) − (C + D) with A =
    (log10 TDS − 1)/10, B = −13.12·log10(T) + 34.55, C = log10(Ca) − 0.4, D = log10(Alk), T = °C + 273: Carrier
    (1965).
    """
    a = (math.log10(tds) - 1) / 10
    b = -13.12 * math.log10(temperature_c + 273) + 34.55
    c = math.log10(calcium_hardness) - 0.4
    d = math.log10(alkalinity)
    phs = (9.3 + a + b) - (c + d)
    equilibrium = 1.465 * math.log10(alkalinity) + 4.54
    return Indices(phs, ph - phs, 2 * phs - ph, 2 * phs - equilibrium)
