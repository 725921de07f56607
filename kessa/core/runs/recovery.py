"""Checking a method against what is known: recovery of a standard and of a spike."""

from __future__ import annotations

from kessa.core.errors import finite
from kessa.core.quantities.measured import above_0, from_0, takes

INSIDE, OUTSIDE = "inside", "outside"
_EQUAL = 1e-9


@takes(found=from_0(None), expected=above_0(None))
def recovery(found: float, expected: float, low: float = 85.0, high: float = 115.0) -> tuple[float, str]:
    """Return what part of a standard was found (percent) and whether that is within `low` to `high` percent.

    `found` ≥ 0 and `expected` > 0 in one unit. Recovery as in ISO 5725-4 and every laboratory's quality chart.

    >>> recovery(8.5, 10)
    (85.0, 'inside')
    """
    percent = finite(100 * found / expected, "expected")
    within = low - _EQUAL * abs(low) <= percent <= high + _EQUAL * abs(high)
    return percent, INSIDE if within else OUTSIDE


@takes(
    sample=from_0(None),
    spiked=from_0(None),
    sample_ml=above_0("mL"),
    added_ml=above_0("mL"),
    added_strength=above_0(None),
)
def spike_recovery(sample: float, spiked: float, sample_ml: float, added_ml: float, added_strength: float) -> float:
    """Return what part of a spike was found (percent), corrected for the volume it added.

    percent = 100·(spiked·(sample_ml + added_ml) − sample·sample_ml)/(added_ml·added_strength): a balance of amounts.
    Strengths in one unit, `sample` as it was when it was spiked: of a diluted sample the diluted strength.

    >>> round(spike_recovery(1, 2, 90, 10, 11), 6)
    100.0
    """
    found = finite(spiked * (sample_ml + added_ml), "spiked") - finite(sample * sample_ml, "sample")
    return finite(100 * found / finite(added_ml * added_strength, "added_strength"), "added_strength")
