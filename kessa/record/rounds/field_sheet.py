"""The field sheet: everything a visit holds, and what it still wants."""

import math
import uuid
from typing import Any, NamedTuple

from django.utils import timezone

from kessa.core.job.circumstances import IN_PLACE, Scale, scales_for
from kessa.core.methods.in_place import READ_AS
from kessa.core.quantities.quantity import plain
from kessa.core.quantities.units import sign
from kessa.record.compiled import compiled
from kessa.record.derived.field_readings import results_in_place
from kessa.record.determinations.models import Determination, Purpose
from kessa.record.instruments.models import Instrument
from kessa.record.instruments.selectors import CHECK_FAILED, instruments_of, likely
from kessa.record.results.history import kit_in_use
from kessa.record.results.models import Result
from kessa.record.rounds.models import PlannedTest
from kessa.record.rounds.selectors import planned_at
from kessa.record.visits.models import Observation, Sample, Visit
from kessa.record.visits.selectors import observations_of, one_with, stop_before, visit_before


class Line(NamedTuple):
    """A scale with what was observed now, and on the visit before; what measures it, where something does."""

    scale: Scale
    now: Observation | None
    before: str
    value_before: float | None
    unit_before: str
    wanted: bool
    instruments: list[Instrument]
    # As what it was judged; None where nothing is.
    result: Result | None = None
    proposed: float | None = None
    # The one that is chosen beforehand.
    likely_instrument: int | None = None

    @property
    def proposed_words(self) -> str:
        """What a weather service says of it."""
        return "" if self.proposed is None else self.scale.said(self.proposed)

    @property
    def chosen_before(self) -> tuple[int, ...]:
        """The places of the words that were true on the visit before."""
        return () if self.value_before is None else self.scale.chosen(self.value_before)

    @property
    def said(self) -> str:
        """What was observed, in words or with its unit."""
        if self.now is None or self.now.value is None:
            return ""
        shown = (
            f" ({plain(self.now.display)} {sign(self.now.display_unit)} on the display)"
            if self.now.display_unit and self.now.display is not None
            else ""
        )
        return self.scale.said(self.now.value) + shown

    @property
    def likely_unit(self) -> str:
        """The unit in which it was read on the visit before."""
        return self.unit_before or self.scale.unit


class Test(NamedTuple):
    """A planned test with the sample it is run on, until when, and what has become of it."""

    plan: PlannedTest
    sample: Sample | None
    until: Any
    too_old: bool
    determination: Determination | None

    @property
    def state(self) -> str:
        """Say how far it is: "to do", "begun" or "done"."""
        if self.determination is None:
            return "to do"
        return "done" if self.determination.closed_at else "begun"


class Sheet(NamedTuple):
    """A visit's field sheet."""

    circumstances: list[Line]
    in_place: list[Line]
    samples: list[Sample]
    tests: list[Test]
    others: list[Determination]
    missing: list[str]

    @property
    def begun(self) -> list[Determination]:
        """The tests that were begun."""
        return [*(test.determination for test in self.tests if test.determination), *self.others]

    @property
    def noted(self) -> int:
        """How many circumstances and readings in place were noted."""
        return sum(bool(line.now) for line in [*self.circumstances, *self.in_place])

    @property
    def next_step(self) -> str:
        """Name what comes next: "circumstances", "sample", "test" or "close"."""
        if not any(line.now for line in self.circumstances):
            return "circumstances"
        if any(line.wanted and not line.now for line in self.in_place):
            return "circumstances"
        if self.wants_sample:
            return "sample"
        return "test" if self.next_test else "close"

    @property
    def wants_sample(self) -> bool:
        """Whether a sample is still to be drawn: for a test, and where not even readings in place are planned."""
        return not self.samples and bool(self.tests or not self.in_place_wanted)

    @property
    def next_test(self) -> Test | None:
        """The first planned test that is not done."""
        return next((test for test in self.tests if test.state != "done"), None)

    @property
    def in_place_wanted(self) -> bool:
        """Whether the plan asks for readings in place."""
        return any(line.wanted for line in self.in_place)


def field_sheet(visit: Visit, planned: tuple[list[PlannedTest], list[str]] | None = None) -> Sheet:
    """Put a visit's field sheet together; of one that has not begun from what is `planned` for it."""
    plans, wanted = planned or planned_at(visit)
    one = one_with(visit)
    now, past = observations_of(visit, one), _before(visit, one) | _weather_of_the_day(visit)
    of_team = instruments_of(visit.team)
    judged = results_in_place(visit) if READ_AS.keys() & now.keys() else {}
    kit = kit_in_use(visit.place) if of_team else None
    scales = scales_for(visit.place.kind_key)
    fitting = {scale.key: _likely_first(scale, of_team, past.get(scale.key)) for scale in scales}
    lines = [
        Line(
            scale,
            now.get(scale.key),
            scale.said(past[scale.key].value) if scale.key in past else "",  # type: ignore[arg-type] # noted
            past[scale.key].value if scale.key in past else None,
            past[scale.key].display_unit if scale.key in past else "",
            scale.key in wanted,
            fitting[scale.key],
            judged.get(scale.key),
            likely_instrument=likely(
                fitting[scale.key], kit, past[scale.key].instrument_id if scale.key in past else None
            ),
        )
        for scale in scales
    ]
    samples = _samples(team=visit.team_id, visits=one)
    begun = _begun(team=visit.team_id, visits=one)
    tests = sorted((_test(plan, samples, begun) for plan in plans), key=_waits_least)
    of_plan = {test.determination.pk for test in tests if test.determination}
    others = [each for each in begun if each.pk not in of_plan]
    circumstances = [line for line in lines if line.scale.group != IN_PLACE]
    in_place = [line for line in lines if line.scale.group == IN_PLACE]
    missing = _missing(circumstances, in_place, samples, tests, others)
    return Sheet(circumstances, in_place, samples, tests, others, missing)


@compiled
def _samples(team: int, visits: list[Any]) -> Any:
    return (
        Sample.objects.for_team(team).filter(visit__any=visits).select_related("drawn_by", "visit").order_by("number")
    )


@compiled
def _begun(team: int, visits: list[Any]) -> Any:
    rows = Determination.objects.for_team(team).filter(sample__visit__any=visits, purpose=Purpose.SAMPLE)
    current = rows.filter(superseded_by=None, continued_by=None)
    return current.select_related("sample", "started_by").order_by("started_at", "pk")


def _likely_first(scale: Scale, of_team: list[Instrument], last: Observation | None) -> list[Instrument]:
    """Return what measures a scale: the one used here last, those that nothing stands against, failed ones last."""
    used = last.instrument_id if last else None
    fitting = [each for each in of_team if each.measures == scale.key]
    return sorted(fitting, key=lambda each: (CHECK_FAILED in each.faults, each.pk != used, len(each.faults)))  # type: ignore[attr-defined]


def _before(visit: Visit, one: list[uuid.UUID]) -> dict[str, Observation]:
    earlier = visit_before(visit, one)
    return observations_of(earlier) if earlier else {}


def _weather_of_the_day(visit: Visit) -> dict[str, Observation]:
    """Return the weather as it was noted at the stop before, by the same person on the same day."""
    earlier = visit.leader_id and stop_before(visit.team_id, visit.leader_id, visit.started_at)
    noted = observations_of(earlier) if earlier else {}
    weather = {scale.key for scale in scales_for(visit.place.kind_key) if scale.group == "weather"}
    return {key: each for key, each in noted.items() if key in weather}


def _test(plan: PlannedTest, samples: list[Sample], begun: list[Determination]) -> Test:
    of_it = [each for each in begun if each.family == plan.family]
    determination = next((each for each in of_it if each.closed_at), None) or next(iter(of_it), None)
    sample = determination.sample if determination else (samples[-1] if samples else None)
    until = sample.testable_until(plan.method.keeps_hours) if sample else None
    too_old = until is not None and determination is None and timezone.now() > until
    return Test(plan, sample, until, too_old, determination)


def _waits_least(test: Test) -> float:
    """Order tests by how long their sample keeps: what does not keep is tested first."""
    return test.plan.method.keeps_hours or math.inf


def _missing(
    circumstances: list[Line],
    in_place: list[Line],
    samples: list[Sample],
    tests: list[Test],
    others: list[Determination],
) -> list[str]:
    missing = []
    unseen = [line.scale.label.lower() for line in circumstances if line.now is None]
    if len(unseen) == len(circumstances):
        missing.append("No circumstances are noted.")
    elif unseen:
        missing.append(f"Not noted: {', '.join(unseen)}.")
    missing += [f"{line.scale.label} was not read." for line in in_place if line.wanted and line.now is None]
    if tests and not samples:
        missing.append("No sample was drawn.")
    missing += [f"{test.plan.method.test_name}: {test.state}." for test in tests if test.state != "done"]
    missing += [f"{each.method.test_name}: begun, not closed." for each in others if each.closed_at is None]
    return missing
