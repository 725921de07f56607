"""What was read in place on a visit, as results like those of a test: as exact as the method that reads the same."""

from typing import Any

from kessa.core.errors import CannotCompute
from kessa.core.job.schools import near_limit
from kessa.core.judging.holding import rule_for
from kessa.core.methods.exactness import IN_PLACE, class_of
from kessa.core.methods.in_place import READ_AS, determined
from kessa.record.compiled import compiled
from kessa.record.derived.calculated import Calculated, supersede
from kessa.record.people.selectors import Hand, hands_named
from kessa.record.results.models import Result
from kessa.record.results.written import Found
from kessa.record.rules.selectors import house_rules
from kessa.record.visits.models import Observation, Visit
from kessa.record.visits.selectors import observations_of


def write_field_readings(visit: Visit) -> list[Result]:
    """Write what was read in place on a visit as results, as it is now; return those written anew."""
    now = observations_of(visit)
    before = results_in_place(visit)
    new = []
    for key in READ_AS:
        calculated = _calculated(visit, now[key]) if key in now else None
        if result := supersede(before.get(key), calculated, None):
            new.append(result)
    return new


def results_in_place(visit: Visit) -> dict[str, Result]:
    """Return the standing results of what was read in place on a visit, by the keys of the scales."""
    return {each.part: each for each in _written(team=visit.team_id, visit=visit.pk)}


def _calculated(visit: Visit, seen: Observation) -> Calculated | None:
    method, value = READ_AS[seen.key], seen.value if seen.display is None else seen.display
    part = method.main
    assert value is not None
    try:
        quantity, _, working = determined(seen.key, value, seen.display_unit)
    except CannotCompute:
        return None
    school = near_limit(house_rules(seen.team_id).chosen)
    by = Hand(seen.person_id, seen.sent_by_id)
    found = Found(
        place=visit.place,
        visit_id=visit.pk,
        person_id=seen.person_id,
        taken_at=seen.at,
        tested_at=seen.at,
        family=IN_PLACE,
        part=seen.key,
        parameter=part.parameter,
        method_class=class_of(method, part),
        method_key=method.key,
        instrument_id=seen.instrument_id,
        quantity=quantity,
        readings={
            "words": part.said({"display": value, "display_unit": seen.display_unit or None}),
            "people": hands_named([by]) if by.sent_by else [],
            "used": [],
        },
        working=working,
        made_from={"visit": str(seen.visit_id), "instrument": seen.instrument_id},
    )
    return Calculated(
        found,
        flags=tuple(seen.flags),
        rule=rule_for(part.parameter, school, screened=method.screening),
    )


@compiled
def _written(team: int, visit: Any) -> Any:
    return Result.objects.for_team(team).current().filter(visit=visit, family=IN_PLACE)
