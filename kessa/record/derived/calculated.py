"""What follows from readings without a test of its own, kept as results: written, written again, or ended with them."""

from collections.abc import Iterable
from typing import Any, NamedTuple

from django.utils import timezone

from kessa.core.judging.plausible import Circumstance
from kessa.core.methods.exactness import TAKEN_IN
from kessa.record.places.selectors import chosen_sets
from kessa.record.results.assessing import assess
from kessa.record.results.context import context_of
from kessa.record.results.history import Series, usual_at
from kessa.record.results.marks import end
from kessa.record.results.models import Result
from kessa.record.results.written import Found, keep, result_of
from kessa.record.visits.models import Sample

# Of what is calculated nothing was read.
CALCULATED: dict[str, Any] = {"words": "worked out", "people": [], "used": []}


class Calculated(NamedTuple):
    """What was calculated: the flags of what it depends on, by which rule it is judged, over how many taps it is."""

    found: Found
    flags: tuple[str, ...] = ()
    rule: str | None = None
    taps: int = 0


def said_of_imported(inputs: Iterable[Any]) -> list[str]:
    """Return what the working says where some of the results that it rests on were imported."""
    if not any(each.method_class == TAKEN_IN for each in inputs):
        return []
    return ["Some of what it rests on was imported: how far that may be off, nobody computed, nor how far this may."]


def supersede(before: Result | None, now: Calculated | None, sample: Sample | None) -> Result | None:
    """Let what was calculated stand in place of the result `before`; where nothing was, that one ends.

    Returns a new result, None where what stands depends on the same as before.
    """
    if now is None:
        if before:
            end(before, "superseded", None, None)
        return None
    found = now.found
    depends_on = (found.quantity, found.made_from, found.person_id, found.taken_at)
    if before and (before.quantity, before.made_from, before.person_id, before.taken_at) == depends_on:
        # As long as it depends on the same, its marks come and go by themselves.
        return None
    result, flags = _assessed(now, sample)
    keep(result, flags, None, before)
    return result


def _assessed(now: Calculated, sample: Sample | None) -> tuple[Result, list[str]]:
    found, place, quantity = now.found, now.found.place, now.found.quantity
    series = Series(found.parameter, quantity.unit, quantity.form or "", found.fraction, found.method_class)
    usual, sets = usual_at(place, series, before=found.taken_at), chosen_sets(place)
    context = context_of(place, sample, found.parameter, sets, usual, found.taken_at)._replace(taps=now.taps)
    seen = Circumstance({}, usual, (), None, place.water, timezone.localtime(found.taken_at))
    assessed = assess(found.parameter, quantity, sets, now.rule, context, seen)
    flags = [*now.flags, *(doubt.key for doubt in assessed.doubts), *(["unusual"] if assessed.unusual else [])]
    return result_of(found, assessed), list(dict.fromkeys(flags))
