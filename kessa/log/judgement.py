"""Holding what the runs came to against the limits and the place's own past."""

from typing import Any, NamedTuple

from kessa.bench.models import Determination
from kessa.bench.state import Bench, flags_of
from kessa.core.judging.advice import Where, is_unusual, next_steps, with_flags
from kessa.core.judging.holding import judge_part, not_judged, overall, rule_for, verdict_by
from kessa.core.judging.usual import UsualRange
from kessa.core.methods.parts import Part
from kessa.log.beside import seen_beside
from kessa.log.history import series_of, usual_at
from kessa.methods.selectors import methods_of
from kessa.places.models import Place
from kessa.places.selectors import reference_of

_FRACTION = "fraction"


class Judged(NamedTuple):
    """An outcome held against the limits and the place's own past.

    `steps` follow from the number alone; what the flags ask for comes before them, in `next_steps`.
    """

    verdict: str | None
    judgements: list[dict[str, Any]]
    usual: UsualRange | None
    flags: list[str]
    steps: tuple[str, ...]
    not_judged: list[tuple[str, str]] = []

    @property
    def next_steps(self) -> tuple[str, ...]:
        """What to do next, the most pressing first."""
        return with_flags(self.steps, self.flags)


def fraction_of(bench: Bench) -> str:
    """Return whether dissolved or total was tested, where the method asks."""
    return str(bench.answers.get(_FRACTION, ""))


def judged(determination: Determination, part: Part, bench: Bench) -> Judged:
    """Judge what the runs came to so far for a part; needs a quantity."""
    outcome = bench.outcomes[part.key]
    assert outcome.quantity is not None
    flags = flags_of(determination, part, bench)
    place, sample = determination.place, determination.sample
    if place is None or sample is None:
        return Judged(None, [], None, flags, ("Write it down: the check is judged then.",))
    rule = rule_for(determination.method, part, determination.near_limit)
    series = series_of(determination.method, part, determination.written_form(part), fraction_of(bench))
    usual = usual_at(place, series, before=sample.drawn_at)
    sets = determination.rule_sets
    beside = seen_beside(place, sample, part.parameter, sets, usual, sample.drawn_at)
    judgements = judge_part(outcome.quantity, part, sets, rule, agreed=outcome.may_agree, beside=beside)
    decisive, verdict = overall(judgements), verdict_by(part.parameter, judgements)
    unusual = is_unusual(outcome.quantity, usual, part.parameter)
    left = [(found.title, why) for found, _, why in not_judged(outcome.quantity, part.parameter, sets, beside)]
    steps = next_steps(
        determination.method,
        part,
        outcome,
        decisive,
        where_of(place),
        unusual=unusual,
        higher_range=methods_of(determination.team_id).get(part.next_range or ""),
        lacking=[why for _, why in left],
    )
    return Judged(verdict, judgements, usual, [*flags, *(["unusual"] if unusual else [])], steps, left)


def where_of(place: Place) -> Where:
    """Return what advice wants to know of a place."""
    reference = reference_of(place)
    return Where(place.kind.water, reference.name if reference else None, place.team.authority)
