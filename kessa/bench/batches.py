"""Checking the taps a browser sends: each by itself, so that one bad tap does not hold up the others."""

import re
import uuid
from datetime import datetime
from typing import Any, NamedTuple

from kessa.core import runs
from kessa.core.methods.schema import Method
from kessa.visits.taps import BadTap, is_whole, read_device, read_id, read_seq, read_time

CLOSED, REOPENED = "closed", "reopened"
WHOLE = ""
_RUN = re.compile(r"(blank|sample)-[1-9][0-9]?")


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
    if kind == CLOSED:
        if run != WHOLE:
            raise BadTap("Closing is for the whole determination.")
    elif kind not in runs.RUN_EVENTS:
        raise BadTap("This kind of tap is not known.")
    elif not isinstance(run, str) or not _RUN.fullmatch(run):
        raise BadTap("A run is named blank or sample and a number.")
    data = _data(kind, tap.get("data") or {}, method)
    seq, at, device = read_seq(tap.get("seq")), read_time(tap.get("at")), read_device(tap.get("device"))
    return Incoming(read_id(tap.get("id")), run, kind, seq, at, data, device)


def _data(kind: str, data: Any, method: Method) -> dict[str, Any]:
    if not isinstance(data, dict):
        raise BadTap("What a tap carries is an object.")
    if kind == runs.BACK:
        return {"of": str(read_id(data.get("of")))}
    if kind == runs.END:
        if not isinstance(data.get("endpoint"), bool):
            raise BadTap("An end says whether the colour stayed.")
        return {"endpoint": data["endpoint"]}
    if kind == runs.STEP:
        if not is_whole(data.get("step"), 0, len(method.steps) - 1):
            raise BadTap("The method has no such step.")
        return {"step": data["step"]}
    if kind == runs.TIMER:
        if not is_whole(data.get("seconds"), 1, 86_400):
            raise BadTap("A clock runs for 1 second to a day.")
        return {"seconds": data["seconds"]}
    return {}
