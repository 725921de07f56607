"""Where a determination stands: derived from its taps, never stored as truth."""

import uuid
from collections import defaultdict
from typing import Any, NamedTuple

from kessa.core.errors import CannotCompute
from kessa.core.methods.parts import Part
from kessa.core.methods.schema import Method
from kessa.core.planning.stock import MISSING
from kessa.core.runs.conclusion import Blank, Outcome, conclude, conclude_computed
from kessa.core.runs.events import ANSWERED, CORRECTED, SURE, Event, live
from kessa.core.runs.parted import parted
from kessa.core.runs.state import RunState, derive
from kessa.core.runs.timing import run_flags
from kessa.record.compiled import compiled
from kessa.record.determinations.models import Determination, LotUse
from kessa.record.people.selectors import Hand
from kessa.record.taps.models import Tap


class Bench(NamedTuple):
    """A determination as its taps tell it: runs by number, and the blank (None where none is asked for).

    `firsts` are the counts that come first: on supply water of a difference test, or the first stage in one vessel.
    `outcomes` is what the runs came to, by part. `people` are those who ended or read each run, by number.
    """

    samples: dict[int, RunState]
    firsts: dict[int, RunState]
    blanks: dict[int, RunState]
    blank: Blank | None
    answers: dict[str, Any]
    outcomes: dict[str, Outcome]
    people: dict[int, list[Hand]]
    # What was asked about a number and answered for: by part and doubt.
    sure: frozenset[tuple[str, str]] = frozenset()

    def readings(self, part: Part) -> dict[int, dict[str, Any]]:
        """Return the readings of a part that count, by number of run."""
        counting = {number: state for number, state in sorted(self.samples.items()) if state.counts}
        if part.counts:
            return self._staged(part, counting)
        if part.numbers.has_blank:
            return {number: state.counted() for number, state in counting.items()}
        if part.counted:
            both = {n: (state, self.firsts[n]) for n, state in counting.items() if n in self.firsts}
            return {
                number: {
                    "system": system.count,
                    "supply": supply.count,
                    "system_end": system.endpoint,
                    "supply_end": supply.endpoint,
                }
                for number, (system, supply) in both.items()
                if supply.counts
            }
        return {n: state.readings[part.key].raw for n, state in counting.items() if part.key in state.readings}

    def _staged(self, part: Part, seconds: dict[int, RunState]) -> dict[int, dict[str, Any]]:
        """Return the counts of a vessel counted in two stages, for the stage of a part; a run counts with both.

        Where the first came to no end, there is no second: what is counted together is a floor too.
        """
        readings = {}
        for number, first in sorted(self.firsts.items()):
            second = seconds.get(number)
            if first.endpoint is False and first.counts and part.counts != "further":
                readings[number] = first.counted()
            elif first.counts and second:
                turned = second.first_change
                together = {
                    "count": first.count + second.count,
                    "endpoint": second.endpoint,
                    "first_change": None if turned is None else first.count + turned,
                }
                readings[number] = {"first": first.counted(), "further": second.counted(), "all": together}[part.counts]
        return readings

    def read_by(self, part: Part) -> list[str]:
        """Return the taps on which the result of a part rests."""
        states = [state for _, state in sorted(self.samples.items()) if state.counts]
        if part.counted:
            states += [state for _, state in sorted(self.firsts.items()) if state.counts]
            return [state.ended_by for state in states if state.ended_by]
        return [state.readings[part.key].of for state in states if part.key in state.readings]

    def waits_for_table(self, method: Method) -> bool:
        """Whether a mark was read that becomes a number by the table of its lot only, which is still to come."""
        lacking = {part.key for part in method.parts if part.lacks_table}
        return any(lacking & state.readings.keys() for state in self.samples.values())

    @property
    def concluded(self) -> bool:
        """Whether there is anything to write in the log."""
        return any(outcome.quantity for outcome in self.outcomes.values())


def event_of(tap: Tap) -> Event:
    """Return a tap as the core knows it."""
    return Event(str(tap.pk), tap.kind, tap.seq, tap.at, tap.data, tap.device)


def bench_of(determination: Determination, taps: list[Tap]) -> Bench:
    """Derive where a determination stands from its taps that count."""
    method = determination.method
    by_run: dict[str, list[Event]] = defaultdict(list)
    whole: list[Event] = []
    persons = {str(tap.pk): tap.hand for tap in taps}
    for tap in taps:
        event = event_of(tap)
        (by_run[tap.run] if tap.run else whole).append(event)
    states: dict[str, dict[int, RunState]] = {"sample": {}, "supply": {}, "first": {}, "blank": {}}
    read = method.read_keys
    # The second stage of a vessel goes on from the count of its first.
    for name, events in sorted(parted(by_run).items()):
        role, number = name.split("-")
        if role == "blank" and not method.blank:
            continue
        blank_run = role == "blank" and method.blank
        most = method.blank.stop_at if blank_run and method.blank else method.main.stop_at
        if method.staged and role == "sample":
            most = method.second_stops_at(states["first"][int(number)].count if int(number) in states["first"] else 0)
        states[role][int(number)] = derive(events, most, () if blank_run else read)
    samples = states["sample"]
    blank = _blank(determination, method, states["blank"])
    people = {number: _people(state, persons) for number, state in samples.items()}
    answers = {key: event.data["value"] for key, event in answered(whole).items()}
    sure = frozenset((event.data["part"], event.data["doubt"]) for event in live(whole) if event.kind == SURE)
    firsts = states["supply"] | states["first"]
    bench = Bench(samples, firsts, states["blank"], blank, answers, {}, people, sure)
    for part in method.parts:
        bench.outcomes[part.key] = _concluded(determination, part, bench)
    for computed in method.computes:
        bench.outcomes[computed.key] = conclude_computed(method, computed, bench.outcomes)
    return bench


def answered(whole: list[Event]) -> dict[str, Event]:
    """Return the event that last answered each question of a test, or put its answer right."""
    events = (event for event in live(whole) if event.kind in (ANSWERED, CORRECTED) and "key" in event.data)
    return {event.data["key"]: event for event in events}


def _people(state: RunState, persons: dict[str, Hand]) -> list[Hand]:
    made = [state.ended_by, *(reading.of for reading in state.readings.values())]
    return list(dict.fromkeys(persons[each] for each in made if each in persons))


def _concluded(determination: Determination, part: Part, bench: Bench) -> Outcome:
    """Conclude on a part; what cannot be computed is a state with words, and holds up nothing else."""
    try:
        return conclude(
            determination.method,
            part,
            bench.readings(part),
            bench.blank,
            determination.dilution,
            determination.written_form(part),
        )
    except CannotCompute as error:
        return Outcome("cannot be computed", working=(error.message,))


def _blank(determination: Determination, method: Method, blanks: dict[int, RunState]) -> Blank | None:
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


def flags_of(determination: Determination, part: Part, bench: Bench) -> list[str]:
    """Return every flag that the result of a part has from the start: its runs, sample, lots and instrument."""
    flags = [*bench.outcomes[part.key].flags, *run_flags(determination.method, part.key, bench.samples, bench.answers)]
    return list(dict.fromkeys([*flags, *_faults(determination, bench)]))


def _faults(determination: Determination, bench: Bench) -> list[str]:
    """What stands against the sample, the lots that were used, and the instrument."""
    sample = determination.sample if determination.place else None
    aged = sample is not None and sample.too_old_at(determination.started_at, determination.method.keeps_hours)
    too_old = ["sample-too-old"] if aged else []
    used = {use.supply for use in determination.method.used_under(bench.answers)}
    lots = lots_of(team=determination.team_id, test=determination.pk)
    of_lots = {fault for use in lots if use.lot.supply_key in used for fault in use.faults}
    if used.intersection(determination.missing_lots):
        of_lots.add(MISSING)
    return [*too_old, *sorted(of_lots), *determination.instrument_faults]


@compiled
def lots_of(team: int, test: uuid.UUID) -> Any:
    """Return what a test uses of which lots."""
    return LotUse.objects.for_team(team).filter(determination=test).select_related("lot").order_by("pk")
