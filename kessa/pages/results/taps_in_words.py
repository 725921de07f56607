"""Every tap of a test, told so that one sees who read what when, and what was changed into what."""

from typing import Any, NamedTuple

from django.utils import timezone

from kessa.core.methods.schema import Method
from kessa.core.runs import events
from kessa.pages.results.forms import in_words
from kessa.record.determinations.models import Determination
from kessa.record.instruments.models import ReceivedReading
from kessa.record.taps.models import Tap


class TapInWords(NamedTuple):
    """One tap in words."""

    tap: Tap
    run: str
    words: str
    person: str
    sent_by: str


_WORDS = {
    events.DROP: "one more",
    events.TURN: "began to turn",
    events.VOID: "run voided",
    events.SKIP: "blank left out",
    events.STOP: "stopped with what was read",
    events.CLOSED: "written in the log",
    "test_begun": "test begun",
}


def taps_in_words(determination: Determination) -> list[TapInWords]:
    """Return every tap of a test, also those that came late, in the order in which they count."""
    rows = Tap.objects.for_team(determination.team_id).filter(stream=determination.pk)
    taps = list(rows.select_related("person", "sent_by").order_by("seq", "at", "id"))
    by_id = {str(tap.pk): tap for tap in taps}
    method = determination.method
    return [
        TapInWords(tap, tap.run or "all", _words(tap, by_id, method), str(tap.person), str(tap.sent_by or ""))
        for tap in taps
    ]


def _words(tap: Tap, by_id: dict[str, Tap], method: Method) -> str:
    data = tap.data
    if tap.kind == events.READ:
        return f"read {_part(method, data['part'])}{in_words(data['reading'])}{_taken_over_from(tap)}"
    if tap.kind == events.SEEN:
        return f"read {_part(method, data['part'])}: its number follows"
    if tap.kind == events.END:
        return "it stays: end" if data.get("endpoint", True) else "no end: over the range"
    if tap.kind == events.BACK:
        of = by_id.get(data.get("of", ""))
        return f"taken back: {_words(of, by_id, method)}" if of else "taken back"
    if tap.kind == events.CORRECTED:
        return _corrected(data, method)
    return _WORDS.get(tap.kind) or _with_data(tap, method)


def _taken_over_from(tap: Tap) -> str:
    """Say from whose display a reading was taken over."""
    if "shown" not in tap.data:
        return ""
    found = (
        ReceivedReading.objects.for_team(tap.team_id).select_related("instrument").filter(pk=tap.data["shown"]).first()
    )
    return f", taken over from {found.instrument} of {timezone.localtime(found.at):%H:%M:%S}" if found else ""


def _with_data(tap: Tap, method: Method) -> str:
    data = tap.data
    if tap.kind == events.STEP:
        return f"done: {method.steps[data['step']].text}"
    if tap.kind == events.TIMER:
        return f"clock started, {data['seconds']} s"
    if tap.kind == events.ANSWERED:
        return f"answered {data['key']}: {in_words(data['value'])}"
    if tap.kind == events.REOPENED:
        return f"opened again: {data.get('why') or data.get('reason', '')}"
    return tap.kind.replace("_", " ")


def _corrected(data: dict[str, Any], method: Method) -> str:
    right = data.get("reading") or data.get("value")
    if right is None:
        right = {key: data[key] for key in ("count", "first_change", "endpoint") if key in data}
    what = data.get("key") or _part(method, data.get("part", "")).strip() or "count"
    return f"put right, {what}: {in_words(data.get('was'))} became {in_words(right)}. {data.get('why', '')}"


def _part(method: Method, key: str) -> str:
    return f"{method.part(key).parameter} " if len(method.parts) > 1 and key in {p.key for p in method.parts} else ""
