"""Checking the taps a browser sends: each by itself, so that one bad tap does not hold up the others."""

import math
import re
import uuid
from datetime import datetime
from typing import Any, NamedTuple

from kessa.core.errors import CannotCompute
from kessa.core.methods.schema import Method
from kessa.core.runs import events as runs
from kessa.core.runs.events import ANSWERED, CLOSED
from kessa.visits.taps import BadTap, is_whole, read_device, read_id, read_seq, read_time

WHOLE = ""
_RUN = re.compile(r"(blank|sample|supply)-[1-9][0-9]?")
_NOTE = re.compile(r"[\w ./µ°%#-]{1,40}")
_LARGEST = 1e12


class Incoming(NamedTuple):
    """One checked tap."""

    id: uuid.UUID
    run: str
    kind: str
    seq: int
    at: datetime
    data: dict[str, Any]
    device: str


def check(tap: Any, method: Method) -> Incoming:
    """Check one tap against what the bench of this method can send; raises BadTap."""
    if not isinstance(tap, dict):
        raise BadTap("A tap is an object.")
    kind, run = tap.get("kind"), tap.get("run")
    if kind in (CLOSED, ANSWERED):
        if run != WHOLE:
            raise BadTap("Closing and answers are for the whole determination.")
    elif kind not in runs.RUN_EVENTS:
        raise BadTap("This kind of tap is not known.")
    elif not isinstance(run, str) or not _RUN.fullmatch(run):
        raise BadTap("A run is named blank, sample or supply and a number.")
    data = _data(kind, tap.get("data") or {}, method)
    seq, at, device = read_seq(tap.get("seq")), read_time(tap.get("at")), read_device(tap.get("device"))
    return Incoming(read_id(tap.get("id")), run, kind, seq, at, data, device)


def _data(kind: str, data: Any, method: Method) -> dict[str, Any]:
    if not isinstance(data, dict):
        raise BadTap("What a tap carries is an object.")
    return _CARRIED[kind](data, method) if kind in _CARRIED else {}


def _taken_back(data: dict[str, Any], method: Method) -> dict[str, Any]:
    return {"of": str(read_id(data.get("of")))}


def _end(data: dict[str, Any], method: Method) -> dict[str, Any]:
    if not isinstance(data.get("endpoint"), bool):
        raise BadTap("An end says whether the colour stayed.")
    return {"endpoint": data["endpoint"]}


def _step(data: dict[str, Any], method: Method) -> dict[str, Any]:
    if not is_whole(data.get("step"), 0, len(method.steps) - 1):
        raise BadTap("The method has no such step.")
    return {"step": data["step"]}


def _clock(data: dict[str, Any], method: Method) -> dict[str, Any]:
    if not is_whole(data.get("seconds"), 1, 86_400):
        raise BadTap("A clock runs for 1 second to a day.")
    return {"seconds": data["seconds"]} | _clock_step(data, method)


def _clock_step(data: dict[str, Any], method: Method) -> dict[str, int]:
    if "step" not in data:
        return {}
    step = data["step"]
    if not is_whole(step, 0, len(method.steps) - 1) or method.steps[step].wait is None:
        raise BadTap("This step has no clock.")
    return {"step": step}


def _reading(data: dict[str, Any], method: Method) -> dict[str, Any]:
    """Check a reading by computing with it: what gives no result is no reading."""
    part = next((part for part in method.parts if part.key == data.get("part") and not part.counted), None)
    reading = data.get("reading")
    if part is None or not isinstance(reading, dict):
        raise BadTap("A reading names what was read.")
    if strange := set(reading) - set(part.reading_keys):
        raise BadTap(f"{sorted(strange)[0]} is not read by this method.")
    for name, value in reading.items():
        if not _is_plain(value):
            raise BadTap(f"{name} is a number, or a note of up to 40 plain letters.")
    if part.with_temperature and not isinstance(reading.get("temperature_c", 0.0), int | float):
        raise BadTap("The temperature is a number.")
    try:
        part.determine(reading)
    except CannotCompute as error:
        raise BadTap(error.message) from None
    return {"part": part.key, "reading": reading}


def _is_plain(value: Any) -> bool:
    """Whether a value can be kept and shown: true or false, a finite number, two of them, or a short note."""
    if isinstance(value, list):
        return len(value) <= 2 and all(isinstance(each, int | float) and math.isfinite(each) for each in value)
    if isinstance(value, str):
        return bool(_NOTE.fullmatch(value))
    return value is None or (isinstance(value, int | float) and abs(value) < _LARGEST and math.isfinite(value))


def _answer(data: dict[str, Any], method: Method) -> dict[str, Any]:
    ask = method.asks.get(str(data.get("key")))
    value = data.get("value")
    if ask is None:
        raise BadTap("This method does not ask that.")
    if ask.answers and ask.chosen(value) is None:
        raise BadTap("Choose one of the answers.")
    if not ask.answers and (isinstance(value, bool) or not isinstance(value, int | float) or not 0 <= value <= 1e6):
        raise BadTap(f"This is answered with a number, in {ask.unit}.")
    return {"key": ask.key, "value": value}


_CARRIED = {
    runs.BACK: _taken_back,
    runs.END: _end,
    runs.STEP: _step,
    runs.TIMER: _clock,
    runs.READ: _reading,
    ANSWERED: _answer,
}
