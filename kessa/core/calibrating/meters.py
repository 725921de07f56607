"""Calibrations of pH, conductivity and oxygen meters."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations

from kessa.core.calibrating.outcome import Calibrated, Figure
from kessa.core.derived.oxygen import oxygen_saturation
from kessa.core.errors import CannotCompute
from kessa.core.quantities.measured import Takes, above_0, from_0, takes

# Of the theoretical slope, in percent; the voltage at pH 7, in mV; how far a buffer may lie off the line, in pH.
SLOPE, OFFSET, OFF_LINE = (92.0, 102.0), 30.0, 0.1
# A cell's constant against the one before, and a probe in saturated air against what the air holds, in percent.
CELL, IN_AIR = (80.0, 120.0), (90.0, 110.0)
_NERNST_MV_PER_K, _ZERO_C = 0.198416, 273.15
# Conductivity of potassium chloride rises by so much a degree, about 25 °C (Standard Methods 2510).
_PER_DEGREE = 0.0191


@takes(temperature_c=Takes("degC", 0, 60))
def calibrate_ph(buffers: Sequence[tuple[float, float]], temperature_c: float) -> Calibrated:
    """Return slope and offset of an electrode from two or three buffers: pairs of pH and mV, at a temperature in °C.

    The line is fitted by least squares; the theoretical slope is −2.303 RT/F = −0.198416 mV a kelvin (Nernst). Raises
    CannotCompute on `buffers` where there are fewer than two, or two of nearly the same pH; on `temperature_c` outside
    0 to 60 °C.
    """
    if not 2 <= len(buffers) <= 5 or any(abs(a[0] - b[0]) < 0.5 for a, b in combinations(buffers, 2)):
        raise CannotCompute("Give two or three buffers, at least half a pH apart.", "buffers")
    if any(not 0 <= ph <= 14 for ph, _ in buffers):
        raise CannotCompute("A buffer's pH lies from 0 to 14.", "buffers")
    n = len(buffers)
    mean_ph, mean_mv = sum(ph for ph, _ in buffers) / n, sum(mv for _, mv in buffers) / n
    spread = sum((ph - mean_ph) ** 2 for ph, _ in buffers)
    slope = sum((ph - mean_ph) * (mv - mean_mv) for ph, mv in buffers) / spread
    offset = mean_mv + slope * (7 - mean_ph)
    theory = -_NERNST_MV_PER_K * (temperature_c + _ZERO_C)
    figures = [
        Figure("slope", 100 * slope / theory, "%", *SLOPE),
        Figure("offset", offset, "mV", -OFFSET, OFFSET),
    ]
    if n > 2 and slope:
        worst = max(abs((mv - offset) / slope + 7 - ph) for ph, mv in buffers)
        figures.append(Figure("farthest off the line", worst, "pH", None, OFF_LINE))
    words = (f"{-slope:.1f} mV a pH, of {-theory:.1f} by theory at {temperature_c:g} °C",)
    return Calibrated(tuple(figures), words)


@takes(standard=above_0("uS/cm"), shown=above_0("uS/cm"), constant=above_0("1/cm"), temperature_c=Takes("degC", 5, 45))
def calibrate_conductivity(
    standard: float, shown: float, constant: float = 1.0, temperature_c: float = 25.0, *, compensated: bool = True
) -> Calibrated:
    """Return a cell's constant (1/cm) from what it shows in a standard, both in µS/cm, the standard's at 25 °C.

    constant × standard / shown. Where the meter does not compensate, what it shows is brought to 25 °C by 1.91 % a
    degree. Raises CannotCompute on what is not above 0, and on `temperature_c` outside 5 to 45 °C.
    """
    at_25 = shown if compensated else shown / (1 + _PER_DEGREE * (temperature_c - 25))
    new = constant * standard / at_25
    return Calibrated(
        (Figure("of the constant before", 100 * new / constant, "%", *CELL), Figure("cell constant", new, "1/cm"))
    )


@takes(shown=from_0("mg/L"), temperature_c=Takes("degC"), pressure_kpa=Takes("kPa"))
def calibrate_oxygen(shown: float, temperature_c: float, pressure_kpa: float) -> Calibrated:
    """Return what part of saturation a probe shows (mg/L) in air that is saturated with water.

    Against Benson and Krause (1984); raises CannotCompute outside their range, and on `shown` below 0.
    """
    holds = oxygen_saturation(temperature_c, 0.0, pressure_kpa)
    words = (f"water in this air would hold {holds:.2f} mg/L",)
    return Calibrated((Figure("of saturation", 100 * shown / holds, "%", *IN_AIR),), words)
