"""What a blank, a standard or a spike came to: whether the method can be trusted by it."""

from __future__ import annotations

from typing import NamedTuple

from kessa.core.quantities.measured import above_0, from_0, takes
from kessa.core.quantities.quantity import Quantity, plain
from kessa.core.runs.recovery import INSIDE, recovery, spike_recovery

LOW, HIGH = 85.0, 115.0


class CheckOutcome(NamedTuple):
    """What a check came to: what was expected, the percent found of it (None of a blank), and whether it is good."""

    expected: float
    percent: float | None
    good: bool
    working: str


def check_blank(found: Quantity, least: float) -> CheckOutcome:
    """Judge a blank: good where it shows no more than `least`, what the method tells from nothing (its own unit)."""
    good = found.censor == "<" or found.value <= least
    line = f"A blank may show up to {plain(least)} {found.unit}: it showed {plain(found.value)}"
    return CheckOutcome(0.0, None, good, line)


def check_standard(found: Quantity, expected: float) -> CheckOutcome:
    """Judge a standard of strength `expected` (> 0, the method's unit): good where 85 to 115 % of it are found.

    Of a coarse count a whole unit may be more than that: it is good too where the interval of what was found holds it.

    >>> check_standard(Quantity(1.85, 1.8, 1.9, None, "mg/L"), 2.0).percent
    92.5
    """
    percent, verdict = recovery(found.value, expected, LOW, HIGH)
    held = found.high is not None and found.low <= expected <= found.high
    good = found.censor is None and (verdict == INSIDE or held)
    line = (
        f"{plain(found.value)} of {plain(expected)} {found.unit} found: {plain(percent)} %, "
        f"{plain(LOW)} to {plain(HIGH)} is good"
    )
    if held and verdict != INSIDE:
        line += f", and so is what lies within {plain(found.low)} to {plain(found.high or found.value)} {found.unit}"
    return CheckOutcome(expected, percent, good, line)


@takes(in_sample=from_0(None), sample_ml=above_0("mL"), added_ml=above_0("mL"), added_strength=above_0(None))
def check_spike(
    found: Quantity, in_sample: float, sample_ml: float, added_ml: float, added_strength: float
) -> CheckOutcome:
    """Judge a spike of `added_ml` of a standard into `sample_ml` of a sample that held `in_sample` as it was spiked.

    Good where 85 to 115 % of what was added is found, corrected for the volume. Strengths in the method's unit.

    >>> check_spike(Quantity(3.75, 3.7, 3.8, None, "mg/L"), 1.91, 25, 0.5, 100).good
    True
    """
    volume = sample_ml + added_ml
    expected = (in_sample * sample_ml + added_ml * added_strength) / volume
    percent = spike_recovery(in_sample, found.value, sample_ml, added_ml, added_strength)
    good = recovery(max(percent, 0.0), 100.0, LOW, HIGH)[1] == INSIDE and found.censor is None
    line = (
        f"{plain(found.value)} × {plain(volume)} mL − {plain(in_sample)} × {plain(sample_ml)} mL of "
        f"{plain(added_ml)} mL × {plain(added_strength)} added: {plain(percent)} % found; "
        f"{plain(LOW)} to {plain(HIGH)} is good"
    )
    return CheckOutcome(expected, percent, good, line)
