"""Checking a method against what is known: recovery of a standard and of a spike."""

from __future__ import annotations

from typing import Any

from kessa.core.arguments import Arguments, CannotCompute, finite

INSIDE, OUTSIDE = "inside", "outside"
_EQUAL = 1e-9


def recovery(found: float, expected: float, low: float = 85.0, high: float = 115.0) -> tuple[float, str]:
    """Return what part of a standard was found (percent) and whether that is within `low` to `high` percent.

    `found` ≥ 0 and `expected` > 0 in one unit.
    """
    percent = finite(100 * found / expected, "expected")
    within = low - _EQUAL * abs(low) <= percent <= high + _EQUAL * abs(high)
    return percent, INSIDE if within else OUTSIDE


def spike_recovery(sample: float, spiked: float, sample_ml: float, added_ml: float, added_strength: float) -> float:
    """Return what part of a spike was found (percent), corrected for the volume it added.

    percent = 100·(spiked·(sample_ml + added_ml) − sample·sample_ml)/(added_ml·added_strength). Strengths in one unit.
    """
    found = finite(spiked * (sample_ml + added_ml), "spiked") - finite(sample * sample_ml, "sample")
    return finite(100 * found / finite(added_ml * added_strength, "added_strength"), "added_strength")


def answer_recovery(arguments: Arguments) -> dict[str, Any]:
    """Answer the op `recovery`."""
    low, high = arguments.number("low", 85.0), arguments.number("high", 115.0)
    if low > high:
        raise CannotCompute("low is above high.", "low")
    percent, verdict = recovery(
        arguments.number("found", least=0.0), arguments.number("expected", above=0.0), low, high
    )
    return {"percent": percent, "verdict": verdict}


def answer_spike(arguments: Arguments) -> dict[str, Any]:
    """Answer the op `spike`."""
    return {
        "percent": spike_recovery(
            arguments.number("sample", least=0.0),
            arguments.number("spiked", least=0.0),
            arguments.number("sample_ml", above=0.0),
            arguments.number("added_ml", above=0.0),
            arguments.number("added_strength", above=0.0),
        )
    }
