"""How much of a substance a flow carries."""

from __future__ import annotations

from kessa.core.errors import finite
from kessa.core.quantities.measured import from_0, takes


@takes(value=from_0("mg/L"), flow_l_s=from_0("L/s"))
def load_kg_day(value: float, flow_l_s: float) -> float:
    """Return kg a day from a concentration (mg/L) and a flow (L/s), both 0 or more; raises CannotCompute on either.

    0.0864 = 86,400 s a day over 1,000,000 mg a kg.

    >>> load_kg_day(100, 10)
    86.4
    """
    return finite(value * flow_l_s * 0.0864, "value")
