"""The kinds of calibration, by what an instrument measures: what is asked for one, and what it comes to."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from kessa.core.calibrating.line import calibrated_by, fit_line
from kessa.core.calibrating.meters import calibrate_conductivity, calibrate_oxygen, calibrate_ph
from kessa.core.calibrating.outcome import Calibrated
from kessa.core.errors import CannotCompute, finite

# By what an instrument measures.
KINDS = {
    "ph": "ph",
    "conductivity": "conductivity",
    "oxygen": "oxygen",
    "dissolved_oxygen": "oxygen",
    "photometer": "line",
}


def calibrated(kind: str, given: Mapping[str, Any]) -> Calibrated:
    """Return what a calibration comes to; raises CannotCompute on what cannot be, or is too large to compute.

    `given` holds, of "ph" `points` (pH, mV) and `temperature_c`; of "conductivity" `standard`, `shown`, `constant`,
    `temperature_c`, `compensated`; of "oxygen" `shown`, `temperature_c`, `pressure_kpa`; of "line" `points`
    (concentration, absorbance).
    """
    found = _calibrated(kind, given)
    for figure in found.figures:
        finite(figure.value, "standard")
    return found


def _calibrated(kind: str, given: Mapping[str, Any]) -> Calibrated:
    if kind == "ph":
        return calibrate_ph([(ph, mv) for ph, mv in given["points"]], given["temperature_c"])
    if kind == "conductivity":
        return calibrate_conductivity(
            given["standard"],
            given["shown"],
            given["constant"],
            given["temperature_c"],
            compensated=given["compensated"],
        )
    if kind == "oxygen":
        return calibrate_oxygen(given["shown"], given["temperature_c"], given["pressure_kpa"])
    if kind == "line":
        return calibrated_by(fit_line([(x, y) for x, y in given["points"]]))
    raise CannotCompute("No instrument is calibrated so.", "kind")
