"""Reads about the bench worth a name."""

from collections import defaultdict
from typing import Any, NamedTuple

from kessa.bench.batches import CLOSED, REOPENED
from kessa.bench.models import Determination, Event, Result
from kessa.core import runs
from kessa.core.advice import is_unusual, next_steps
from kessa.core.determination import Blank, Outcome, conclude
from kessa.core.limits import judge_by_sets, overall
from kessa.core.methods import house_methods
from kessa.core.methods.schema import Method
from kessa.core.stock import MISSING
from kessa.core.trends import UsualRange, usual_range
from kessa.kits.models import Kit
from kessa.kits.selectors import kits_serving
from kessa.people.models import Team
from kessa.places.models import Place
from kessa.places.selectors import reference_of

_HISTORY = 200


class Bench(NamedTuple):
    """A determination as its events tell it: runs by number, and the blank (None where none is asked for)."""

    samples: dict[int, runs.RunState]
    blanks: dict[int, runs.RunState]
    blank: Blank | None
    outcome: Outcome


class Judged(NamedTuple):
    """An outcome held against the limits and the place's own past."""

    verdict: str | None
    judgements: list[dict[str, Any]]
    usual: UsualRange | None
    flags: list[str]
    next_steps: tuple[str, ...]


def events_as_data(events: Any) -> list[dict[str, Any]]:
    """Return events as the browser knows them."""
    return [event.as_sent(event.run, event.kind, event.data) for event in events]


def counted_events(determination: Determination) -> list[Event]:
    """Return the events that make up the determination, without those that came after it was closed."""
    return list(
        Event.objects.for_team(determination.team_id)
        .filter(determination=determination, after_close=False)
        .order_by("seq", "at", "id")
    )


def bench_of(determination: Determination, events: list[Event]) -> Bench:
    """Derive where a determination stands from its events."""
    method = determination.method
    by_run: dict[str, list[runs.Event]] = defaultdict(list)
    for event in events_as_data(events):
        if event["kind"] not in (CLOSED, REOPENED):
            by_run[event.pop("run")].append(runs.Event(**event))
    samples, blanks = {}, {}
    for name, run_events in by_run.items():
        role, number = name.split("-")
        if role == "sample":
            samples[int(number)] = runs.derive(run_events, method.numbers.stop_at)
        elif method.blank:
            blanks[int(number)] = runs.derive(run_events, method.blank.stop_at)
    blank = _blank(determination, method, blanks)
    return Bench(samples, blanks, blank, conclude(method, samples, blank, determination.dilution))


def _blank(determination: Determination, method: Method, blanks: dict[int, runs.RunState]) -> Blank | None:
    """The last blank that was finished counts; a carried one where none was run here."""
    if method.blank is None:
        return None
    finished = [state for _, state in sorted(blanks.items()) if state.counts]
    if finished:
        last = finished[-1]
        return Blank(last.count, method.blank.verdict(last.count, endpoint=last.endpoint is True))
    if determination.blank_carried is not None:
        return Blank(determination.blank_carried, method.blank.verdict(determination.blank_carried))
    return Blank(None, "missing") if determination.blank_first else None


def judge_outcome(determination: Determination, outcome: Outcome) -> Judged:
    """Judge what the runs came to so far; needs a quantity."""
    assert outcome.quantity is not None
    method, place = determination.method, determination.sample.place
    judgements = judge_by_sets(outcome.quantity, method.parameter, determination.limit_sets, determination.near_limit)
    decisive = overall(judgements)
    verdict = decisive["verdict"] if decisive else None
    usual = usual_at(place, method, before=determination)
    unusual = is_unusual(outcome.quantity, usual)
    reference = reference_of(place)
    steps = next_steps(
        method,
        outcome,
        verdict,
        unusual=unusual,
        higher_range=house_methods().get(method.numbers.next_range or ""),
        upstream=reference.name if reference else None,
    )
    flags = [*outcome.flags, *faults_of(determination), *(["unusual"] if unusual else [])]
    return Judged(verdict, judgements, usual, flags, steps)


def faults_of(determination: Determination) -> list[str]:
    """Return what stands against the sample and the lots, as flags of the result."""
    until = determination.sample.testable_until(determination.method.keeps_hours)
    too_old = ["sample-too-old"] if until and determination.started_at > until else []
    of_lots = {fault for use in determination.lots.all() for fault in use.faults}
    if determination.missing_lots:
        of_lots.add(MISSING)
    return [*too_old, *sorted(of_lots)]


def usual_at(place: Place, method: Method, before: Determination | None = None) -> UsualRange | None:
    """Learn what is usual at a place from its latest trustworthy results, drawn before this determination's sample."""
    past = Result.objects.for_team(place.team_id).trustworthy().filter(place=place, parameter=method.parameter)
    if before is not None:
        past = past.filter(taken_at__lt=before.sample.drawn_at)
    written_alike = past.filter(unit=method.unit, form=method.form or "")
    return usual_range(list(written_alike.newest_first().values_list("value", flat=True)[:_HISTORY]))


def open_determinations(team: Team) -> list[Determination]:
    """Return what was begun and not closed, newest first."""
    return list(
        Determination.objects.for_team(team)
        .filter(closed_at=None)
        .select_related("sample__visit__place", "started_by")
        .order_by("-started_at")[:20]
    )


def kits_for(place: Place, family: str) -> list[Kit]:
    """Return the kits that serve a test, the one used at the place last first."""
    last = last_kit_at(place)
    return sorted(kits_serving(place.team_id, family), key=lambda kit: kit.pk != last)


def last_kit_at(place: Place) -> int | None:
    """Return the number of the kit used at a place last."""
    used = Determination.objects.for_team(place.team_id).filter(sample__visit__place=place).exclude(kit=None)
    return used.order_by("-started_at").values_list("kit_id", flat=True).first()


def suggested_method(place: Place, family: list[Method]) -> tuple[Method, str]:
    """Return the range of a family to begin with, and why: by the place's history, else the lowest."""
    lowest = family[0]
    usual = usual_at(place, lowest)
    if usual is None:
        return lowest, "No history here yet: start with the lowest range."
    fitting = next((method for method in family if usual.high <= 0.8 * method.reach), family[-1])
    return fitting, f"Usual here is {usual.low:.4g} to {usual.high:.4g} {lowest.unit}."
