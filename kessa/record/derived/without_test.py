"""Results that no test wrote: held against the limits, written, written anew, or ended with what they rest on."""

from datetime import datetime
from typing import Any, NamedTuple

from django.utils import timezone

from kessa.core.judging.holding import judge_by_sets, not_judged, verdict_by
from kessa.core.judging.plausible import Circumstance, doubts_about
from kessa.core.judging.usual import is_unusual
from kessa.core.quantities.quantity import Quantity
from kessa.record.people.selectors import Hand, hands_named
from kessa.record.places.models import Place
from kessa.record.places.selectors import chosen_sets
from kessa.record.results.context import seen_beside
from kessa.record.results.history import Series, usual_at
from kessa.record.results.marks import end, mark
from kessa.record.results.models import Result, columns_of
from kessa.record.visits.models import Sample, Visit


class Found(NamedTuple):
    """What came to be known without a test of its own: by whom and when, from what, and by which rule it is judged."""

    family: str
    part: str
    parameter: str
    method_class: str
    quantity: Quantity
    words: str
    working: tuple[str, ...]
    by: Hand
    taken_at: datetime
    tested_at: datetime
    made_from: dict[str, Any]
    flags: tuple[str, ...] = ()
    rule: str | None = None
    fraction: str = ""
    # Of how many taps it is a percentile.
    taps: int = 0


def settle(
    place: Place, visit: Visit, sample: Sample | None, found: Found | None, before: Result | None
) -> Result | None:
    """Let what was found stand in place of the result `before`; where nothing was, that one ends. Return a new one."""
    if found is None:
        if before:
            end(before, "superseded", None, None)
        return None
    rests_on = (found.quantity, found.made_from, found.by.person, found.taken_at)
    if before and (before.quantity, before.made_from, before.person_id, before.taken_at) == rests_on:
        # As long as it rests on the same, its marks come and go by themselves.
        return None
    result, flags = _judged(place, visit, sample, found)
    result.save()
    mark(result, flags, None)
    if before:
        end(before, "superseded", None, result)
    return result


def _judged(place: Place, visit: Visit, sample: Sample | None, found: Found) -> tuple[Result, list[str]]:
    quantity, parameter = found.quantity, found.parameter
    series = Series(parameter, quantity.unit, quantity.form or "", found.fraction, found.method_class)
    usual = usual_at(place, series, before=found.taken_at)
    sets = chosen_sets(place)
    beside = seen_beside(place, sample, parameter, sets, usual, found.taken_at)._replace(taps=found.taps)
    judgements = judge_by_sets(quantity, parameter, sets, found.rule, beside)
    seen = Circumstance({}, usual, (), None, place.water, timezone.localtime(found.taken_at))
    flags = [
        *found.flags,
        *(doubt.key for doubt in doubts_about(parameter, quantity, seen)),
        *(["unusual"] if is_unusual(quantity, usual, parameter) else []),
    ]
    result = Result(
        team_id=place.team_id,
        sample=sample,
        visit=visit,
        place=place,
        person_id=found.by.person,
        taken_at=found.taken_at,
        tested_at=found.tested_at,
        part=found.part,
        family=found.family,
        parameter=parameter,
        fraction=found.fraction,
        method_class=found.method_class,
        **columns_of(quantity),
        verdict=verdict_by(parameter, judgements) or "",
        readings={"words": found.words, "people": hands_named([found.by]) if found.by.sent_by else [], "used": []},
        made_from=found.made_from,
        working=list(found.working),
        judgements=judgements,
        usual=usual._asdict() if usual else None,
        not_judged=[(each.title, why) for each, _, why in not_judged(quantity, parameter, sets, beside)],
    )
    return result, list(dict.fromkeys(flags))
