"""Checking what is tapped on the bench, by what the bench of a method can send."""

import math
import re
from collections.abc import Callable
from datetime import timedelta
from typing import Any

from kessa.core.colours.eyes import LATE_BY
from kessa.core.errors import CannotCompute
from kessa.core.judging.plausible import DOUBTS
from kessa.core.methods.schema import Method
from kessa.core.methods.steps import UNKNOWN
from kessa.core.runs import events
from kessa.record.determinations.models import Determination
from kessa.record.determinations.state import lots_of
from kessa.record.instruments.models import ReceivedReading
from kessa.record.kits.models import Lot
from kessa.record.taps.incoming import BadTap, Incoming, is_key, is_whole, read_id
from kessa.record.taps.models import Tap

_RUN = re.compile(r"(blank|sample|supply|first)-[1-9][0-9]?")
_NOTE = re.compile(r"[\w ./µ°%#-]{1,40}")
_LARGEST = 1e12
_LONGEST_CLOCK = 86_400
# So long the numbers of sensors that were used are known.
_SENSORS_KNOWN = timedelta(days=90)
WHOLE = ""


def carried(tap: Incoming, determination: Determination) -> dict[str, Any]:
    """Return what a tap of a run, an answer or a closing carries, as it is kept; raises BadTap."""
    if tap.kind in (events.CLOSED, events.ANSWERED, events.SURE, events.BOTTLE):
        if tap.run != WHOLE:
            raise BadTap("Closing, answers and bottles are for the whole determination.")
    elif tap.kind not in events.RUN_EVENTS:
        raise BadTap("This kind of tap is not known.")
    elif not _RUN.fullmatch(tap.run):
        raise BadTap("A run is named blank, sample, supply or first and a number.")
    # The method is only read where a tap needs it: a drop is a drop.
    kept = _CARRIED[tap.kind](tap.data, determination) if tap.kind in _CARRIED else {}
    if tap.kind == events.READ and kept["reading"].get("sensor"):
        _check_sensor(tap, kept, determination)
    return kept


def _check_sensor(tap: Incoming, kept: dict[str, Any], determination: Determination) -> None:
    """Refuse a sensor's number that another reading bears, of this test or of one by the method in the days before."""
    number = kept["reading"]["sensor"]
    since = determination.started_at - _SENSORS_KNOWN
    tests = Determination.objects.for_team(determination.team_id).filter(
        method_key=determination.method_key, started_at__range=(since, determination.started_at)
    )
    rows = Tap.objects.for_team(determination.team_id).filter(stream__in=tests.values("pk"), late=False)
    back = rows.filter(kind=events.BACK).values_list("data__of", flat=True)
    used = rows.filter(kind=events.READ, data__reading__sensor=number).exclude(pk__any=list(back))
    # Read again, the last one counts: the same sensor of the same part.
    if used.exclude(stream=determination.pk, run=tap.run, data__part=kept["part"]).exclude(pk=tap.id).exists():
        raise BadTap(f"Sensor {number} was used already, and reads too low a second time. Read with a fresh one.")


def _taken_back(data: dict[str, Any], determination: Determination) -> dict[str, Any]:
    return {"of": str(read_id(data.get("of")))}


def _end(data: dict[str, Any], determination: Determination) -> dict[str, Any]:
    if not isinstance(data.get("endpoint"), bool):
        raise BadTap("An end says whether the colour stayed.")
    if "unsure" not in data:
        return {"endpoint": data["endpoint"]}
    if not is_whole(data["unsure"], 1, LATE_BY):
        raise BadTap(f"An end is unsure by {LATE_BY} units at most.")
    return {"endpoint": data["endpoint"], "unsure": data["unsure"]}


def _step(data: dict[str, Any], determination: Determination) -> dict[str, Any]:
    if not is_whole(data.get("step"), 0, len(determination.method_definition["steps"]) - 1):
        raise BadTap("The method has no such step.")
    return {"step": data["step"]}


def _clock(data: dict[str, Any], determination: Determination) -> dict[str, Any]:
    """A clock runs as long as the method says; of one that follows from a reading the page says it first."""
    method = determination.method
    if "step" not in data:
        settle = next((step.settle_s for step in method.steps if step.settle_s), None)
        if settle is None:
            raise BadTap("This method waits for no colour to last.")
        return {"seconds": settle}
    step = data["step"]
    if not is_whole(step, 0, len(method.steps) - 1) or method.steps[step].wait is None:
        raise BadTap("This step has no clock.")
    seconds = method.steps[step].wait.seconds or data.get("seconds")
    if not is_whole(seconds, 1, _LONGEST_CLOCK):
        raise BadTap("A clock runs for 1 second to a day.")
    return {"seconds": seconds, "step": step}


def _reading(data: dict[str, Any], determination: Determination) -> dict[str, Any]:
    """Check a reading by computing with it: what gives no result is no reading. It names whose display it took over."""
    kept = {"part": data.get("part"), "reading": reading(determination.method, data.get("part"), data.get("reading"))}
    shown = data.get("shown")
    if is_key(shown):
        taken = ReceivedReading.objects.for_team(determination.team_id).filter(pk=shown).update(taken_over=True)
        kept |= {"shown": shown} if taken else {}
    return kept


def reading(method: Method, key: Any, raw: Any) -> dict[str, Any]:
    """Return what was read of a part, checked by computing with it; raises BadTap."""
    part = next((part for part in method.parts if part.key == key and not part.counted), None)
    if part is None or not isinstance(raw, dict):
        raise BadTap("A reading names what was read.")
    if strange := set(raw) - set(part.reading_keys):
        raise BadTap(f"{sorted(map(str, strange))[0][:40]} is not read by this method.")
    for name, value in raw.items():
        if not _is_plain(value):
            raise BadTap(f"{name} is a number, or a note of up to 40 plain letters.")
    if part.with_temperature and not isinstance(raw.get("temperature_c", 0.0), int | float):
        raise BadTap("The temperature is a number.")
    try:
        part.determine(raw)
    except CannotCompute as error:
        # A mark is kept first: it becomes a number when the table of its lot is there.
        if not (part.lacks_table and error.field == "pairs"):
            raise BadTap(error.message) from None
    try:
        part.check_typed(raw)
    except CannotCompute as error:
        raise BadTap(error.message) from None
    return raw


def _is_plain(value: Any) -> bool:
    """Whether a value can be kept and shown: true or false, a finite number, two of them, or a short note."""
    if isinstance(value, list):
        return len(value) <= 2 and all(_is_number(each) for each in value)
    if isinstance(value, str):
        return bool(_NOTE.fullmatch(value))
    return value is None or isinstance(value, bool) or _is_number(value)


def _is_number(value: Any) -> bool:
    return isinstance(value, int | float) and abs(value) < _LARGEST and math.isfinite(value)


def _seen(data: dict[str, Any], determination: Determination) -> dict[str, Any]:
    if not any(part.key == data.get("part") and not part.counted for part in determination.method.parts):
        raise BadTap("A reading names what was read.")
    return {"part": data["part"]}


def _answer(data: dict[str, Any], determination: Determination) -> dict[str, Any]:
    return {"key": str(data.get("key")), "value": answer(determination.method, data.get("key"), data.get("value"))}


def answer(method: Method, key: Any, value: Any) -> Any:
    """Return an answer to a question of a method; raises BadTap."""
    ask = method.asks.get(str(key))
    if ask is None:
        raise BadTap("This method does not ask that.")
    if value == UNKNOWN and ask.unknown:
        return value
    if ask.side(value) is None and ask.answers:
        raise BadTap("Choose one of the answers.")
    least, most = ask.can_be
    if ask.side(value) is None or (not ask.answers and not (_is_number(value) and least <= value <= most)):
        raise BadTap(f"This is answered with a number from {least:g} to {most:g}, in {ask.unit}.")
    return value


def _sure(data: dict[str, Any], determination: Determination) -> dict[str, Any]:
    """Check that somebody stands by a number that was asked about."""
    if data.get("part") not in {part.key for part in determination.method.finds} or data.get("doubt") not in DOUBTS:
        raise BadTap("This was not asked.")
    return {"part": data["part"], "doubt": data["doubt"]}


def _bottle(data: dict[str, Any], determination: Determination) -> dict[str, Any]:
    """Return with which lot of its kit the test goes on, where its numbers are those of the one before."""
    rows = Lot.objects.for_team(determination.team_id).filter(kit=determination.kit_id, put_away_at=None)
    lot = rows.filter(pk=data["lot"]).first() if is_key(data.get("lot")) else None
    if lot is None or lot.supply_key not in {use.supply for use in determination.method.uses}:
        raise BadTap("This bottle is not in the kit that the test is run with.")
    before = [use.lot for use in lots_of(team=determination.team_id, test=determination.pk)]
    weighed = any(each.supply_key == lot.supply_key and each.grams_of_20 != lot.grams_of_20 for each in before)
    if weighed or lot.supply_key in {part.table_of for part in determination.method.parts}:
        raise BadTap("Its drops or its table are others than before: close this test, and begin one with it.")
    return {"lot": lot.pk}


_CARRIED: dict[str, Callable[[dict[str, Any], Determination], dict[str, Any]]] = {
    events.BACK: _taken_back,
    events.END: _end,
    events.STEP: _step,
    events.TIMER: _clock,
    events.SEEN: _seen,
    events.READ: _reading,
    events.ANSWERED: _answer,
    events.SURE: _sure,
    events.BOTTLE: _bottle,
}
