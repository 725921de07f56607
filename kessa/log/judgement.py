"""Holding what the runs came to against the limits and the place's own past."""

from typing import Any, NamedTuple

from kessa.bench.models import Determination
from kessa.bench.state import Bench, flags_of
from kessa.core.judging.advice import Where, is_unusual, next_steps, with_flags
from kessa.core.judging.limits import judge_part, not_judged, overall, rule_for, verdict_by
from kessa.core.judging.usual import UsualRange
from kessa.core.methods.parts import Part
from kessa.log.history import series_of, usual_at
from kessa.methods.selectors import methods_of
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
    judgements = judge_part(outcome.quantity, part, determination.limit_sets, rule, agreed=outcome.may_agree)
    decisive, verdict = overall(judgements), verdict_by(part.parameter, judgements)
    series = series_of(determination.method, part, determination.written_form(part), fraction_of(bench))
    usual = usual_at(place, series, before=sample.drawn_at)
    unusual = is_unusual(outcome.quantity, usual, part.parameter)
    reference = reference_of(place)
    lacking = [why for _, _, why in not_judged(outcome.quantity, part.parameter, determination.limit_sets)]
    steps = next_steps(
        determination.method,
        part,
        outcome,
        decisive,
        Where(place.kind.water, reference.name if reference else None, determination.team.authority),
        unusual=unusual,
        higher_range=methods_of(determination.team_id).get(part.next_range or ""),
        lacking=lacking,
    )
    return Judged(verdict, judgements, usual, [*flags, *(["unusual"] if unusual else [])], steps)
