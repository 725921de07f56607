"""Readings as people take them (start and end of a burette, transmittance), brought to what a kind computes with."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from kessa.core.arguments import CannotCompute, checked_number
from kessa.core.quantity import plain

# What may be read besides a kind's own keys.
RAW_KEYS = {"volume": ("start", "end", "used_before"), "photometer": ("transmittance",)}
# What is noted with a reading of any kind and does not enter the arithmetic; so does the temperature, but for meters.
BESIDE = ("sensor",)


def as_read(kind: str, raw: Mapping[str, Any]) -> tuple[dict[str, Any], tuple[str, ...]]:
    """Return a reading as its kind takes it, and the lines of working that led there; raises CannotCompute.

    A burette is read at its `start` and its `end` (mL, rising), after `used_before` mL from earlier fills. A
    `transmittance` (percent, above 0, at most 100) is the absorbance −log10(T/100).
    """
    noted = BESIDE if kind == "meter" else (*BESIDE, "temperature_c")
    reading = {key: value for key, value in raw.items() if value is not None and key not in noted}
    if kind == "volume" and ("end" in reading or "start" in reading):
        return _from_burette(reading)
    if kind == "photometer" and "transmittance" in reading:
        percent = checked_number(reading.pop("transmittance"), "transmittance")
        if not 0 < percent <= 100:
            raise CannotCompute("A transmittance lies above 0 and at most at 100 %.", "transmittance")
        absorbance = abs(math.log10(percent / 100))
        line = f"{plain(percent)} % transmittance: absorbance −log10({plain(percent / 100)}) = {plain(absorbance)}"
        return {**reading, "absorbance": absorbance}, (line,)
    return reading, ()


def _from_burette(reading: dict[str, Any]) -> tuple[dict[str, Any], tuple[str, ...]]:
    start, end = (checked_number(reading.pop(key, 0.0), key) for key in ("start", "end"))
    before = checked_number(reading.pop("used_before", 0.0), "used_before")
    if start < 0 or before < 0:
        raise CannotCompute("A burette is read from 0 up.", "start" if start < 0 else "used_before")
    if end < start:
        raise CannotCompute("The end lies above the start on the burette: read both again.", "end")
    ml = end - start + before
    earlier = f"{plain(before)} from earlier fills + " if before else ""
    line = f"{earlier}{plain(end)} − {plain(start)} = {plain(ml)} mL used"
    return {**reading, "ml": ml}, (line,)


def in_words(kind: str, raw: Mapping[str, Any], unit_of_count: str, unit: str) -> str:
    """Say one reading as people write it."""
    reading = {key: value for key, value in raw.items() if value is not None}
    return _SAID[kind](reading, unit_of_count, unit)


def _count(reading: dict[str, Any], unit_of_count: str, unit: str) -> str:
    open_ended = "" if reading.get("endpoint", True) else "+"
    return f"{plain(reading['count'])}{open_ended} {unit_of_count}{'' if reading['count'] == 1 else 's'}"


def _volume(reading: dict[str, Any], unit_of_count: str, unit: str) -> str:
    return f"{plain(as_read('volume', reading)[0]['ml'])} mL"


def _direct(reading: dict[str, Any], unit_of_count: str, unit: str) -> str:
    fills = f"{plain(reading['fills'])} full + " if reading.get("fills") else ""
    return f"{fills}{plain(reading['scale'])} on the scale"


def _difference(reading: dict[str, Any], unit_of_count: str, unit: str) -> str:
    return f"{plain(reading['system'])} − {plain(reading['supply'])} {unit_of_count}s"


def _scale(reading: dict[str, Any], unit_of_count: str, unit: str) -> str:
    if "at" in reading:
        return f"at {plain(reading['at'])}"
    if "between" in reading:
        low, high = reading["between"]
        part = reading.get("fraction", 0.5)
        how = "" if part == 0.5 else f", {plain(100 * part)} % of the way"
        return f"between {plain(low)} and {plain(high)}{how}"
    return "below the first step" if reading.get("below") else "above the last step"


def _chart(reading: dict[str, Any], unit_of_count: str, unit: str) -> str:
    return f"mark {plain(reading['mark'])}"


def _photometer(reading: dict[str, Any], unit_of_count: str, unit: str) -> str:
    cell = f" in {plain(reading['path_mm'])} mm" if reading.get("path_mm") else ""
    if reading.get("over"):
        return "over the range"
    if "absorbance" in reading:
        return f"absorbance {plain(reading['absorbance'])}{cell}"
    if "transmittance" in reading:
        return f"{plain(reading['transmittance'])} % transmittance{cell}"
    return f"{plain(reading['display'])} {unit} displayed"


def _meter(reading: dict[str, Any], unit_of_count: str, unit: str) -> str:
    at = f" at {plain(reading['temperature_c'])} °C" if "temperature_c" in reading else ""
    shown_in = reading.get("display_unit", unit)
    return f"{plain(reading['display'])}{'' if shown_in == 'pH' else f' {shown_in}'}{at}"


def _depth(reading: dict[str, Any], unit_of_count: str, unit: str) -> str:
    bottom = ", seen on the bottom" if reading.get("bottom_visible") else ""
    return f"lost {plain(reading['down'])}, seen {plain(reading['up'])} {unit}{bottom}"


_SAID = {
    "count": _count,
    "volume": _volume,
    "direct": _direct,
    "difference": _difference,
    "scale": _scale,
    "chart": _chart,
    "photometer": _photometer,
    "meter": _meter,
    "depth": _depth,
}
