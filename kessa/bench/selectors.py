"""Reads about the bench worth a name."""

from collections import Counter, defaultdict
from typing import Any, NamedTuple

from kessa.bench.models import Determination, Event, Result
from kessa.core.errors import CannotCompute
from kessa.core.judging.advice import is_unusual, next_steps, with_flags
from kessa.core.judging.judge import VERDICTS
from kessa.core.judging.limits import judge_by_sets, judge_by_window, overall
from kessa.core.judging.usual import UsualRange, usual_range
from kessa.core.judging.written import written_form
from kessa.core.methods.parts import Part
from kessa.core.methods.schema import Method
from kessa.core.planning.stock import MISSING
from kessa.core.quantities.quantity import Quantity
from kessa.core.quantities.units import convert
from kessa.core.runs import events as runs
from kessa.core.runs.conclusion import Blank, Outcome, conclude
from kessa.core.runs.events import ANSWERED
from kessa.core.runs.state import RunState, derive
from kessa.core.runs.timing import run_flags
from kessa.kits.models import Kit
from kessa.kits.selectors import kits_serving
from kessa.methods.selectors import methods_of
from kessa.people.models import Team
from kessa.places.models import Place
from kessa.places.selectors import reference_of
from kessa.rules.selectors import house_rules

_HISTORY = 200
_LATELY = 40


class Bench(NamedTuple):
    """A determination as its events tell it: runs by number, and the blank (None where none is asked for).

    `supplies` are the runs on supply water of a difference test, `outcomes` what the runs came to, by part.
    """

    samples: dict[int, RunState]
    supplies: dict[int, RunState]
    blanks: dict[int, RunState]
    blank: Blank | None
    answers: dict[str, Any]
    outcomes: dict[str, Outcome]

    def readings(self, part: Part) -> dict[int, dict[str, Any]]:
        """Return the readings of a part that count, by number of run."""
        counting = {number: state for number, state in sorted(self.samples.items()) if state.counts}
        if part.counted and not self.supplies:
            return {number: state.counted() for number, state in counting.items()}
        if part.counted:
            both = {n: (state, self.supplies[n]) for n, state in counting.items() if n in self.supplies}
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

    @property
    def concluded(self) -> bool:
        """Whether there is anything to write in the log."""
        return any(outcome.quantity for outcome in self.outcomes.values())


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
    answers: dict[str, Any] = {}
    by_run: dict[str, list[runs.Event]] = defaultdict(list)
    for event in events:
        if event.run:
            by_run[event.run].append(runs.Event(str(event.pk), event.kind, event.seq, event.at, event.data))
        elif event.kind == ANSWERED:
            answers[event.data["key"]] = event.data["value"]
    most = method.main.stop_at
    read = () if method.counted else tuple(part.key for part in method.parts)
    states: dict[str, dict[int, RunState]] = {"sample": {}, "supply": {}, "blank": {}}
    for name, run_events in by_run.items():
        role, number = name.split("-")
        if role == "blank" and not method.blank:
            continue
        up_to = method.blank.stop_at if role == "blank" and method.blank else most
        states[role][int(number)] = derive(run_events, up_to, read)
    blank = _blank(determination, method, states["blank"])
    bench = Bench(states["sample"], states["supply"], states["blank"], blank, answers, {})
    for part in method.parts:
        bench.outcomes[part.key] = _concluded(determination, part, bench)
    return bench


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


def judge_outcome(determination: Determination, part: Part, bench: Bench) -> Judged:
    """Judge what the runs came to so far for a part; needs a quantity."""
    outcome = bench.outcomes[part.key]
    assert outcome.quantity is not None
    method, place = determination.method, determination.place
    if place is None:
        flags = [*outcome.flags, *run_flags(method, part.key, bench.samples, bench.answers), *faults_of(determination)]
        return Judged(None, [], None, list(dict.fromkeys(flags)), ("Write it down: the check is judged then.",))
    judgements = judge_by_sets(outcome.quantity, part.parameter, determination.limit_sets, determination.near_limit)
    if part.wanted:
        judgements.append(judge_by_window(outcome.quantity, part))
    decisive = overall(judgements)
    verdict = decisive["verdict"] if decisive else None
    usual = usual_at(place, series_of(part, determination.written_form(part)), before=determination)
    unusual = is_unusual(outcome.quantity, usual)
    reference = reference_of(place)
    of_course = run_flags(method, part.key, bench.samples, bench.answers)
    steps = next_steps(
        part,
        outcome,
        verdict,
        unusual=unusual,
        higher_range=methods_of(determination.team_id).get(part.next_range or ""),
        upstream=reference.name if reference else None,
        flowing=place.kind.has_depth,
    )
    flags = list(
        dict.fromkeys([*outcome.flags, *of_course, *faults_of(determination), *(["unusual"] if unusual else [])])
    )
    return Judged(verdict, judgements, usual, flags, with_flags(steps, flags))


def in_own_form(result: Result) -> Quantity:
    """Compute a result again from its readings, in the form of the method's own."""
    method, dilution = result.determination.method, result.determination.dilution
    readings = {run["number"]: {key: run[key] for key in run if key != "number"} for run in result.readings["runs"]}
    kept = result.readings["blank"]
    blank = Blank(**kept) if kept else None
    quantity = conclude(method, method.part(result.part), readings, blank, dilution).quantity
    assert quantity is not None
    return quantity


def faults_of(determination: Determination) -> list[str]:
    """Return what stands against the sample and the lots, as flags of the result."""
    sample = determination.sample if determination.place else None
    until = sample.testable_until(determination.method.keeps_hours) if sample else None
    too_old = ["sample-too-old"] if until and determination.started_at > until else []
    of_lots = {fault for use in determination.lots.all() for fault in use.faults}
    if determination.missing_lots:
        of_lots.add(MISSING)
    return [*too_old, *sorted(of_lots), *determination.instrument_faults]


class Series(NamedTuple):
    """Results that may be compared with one another: of one parameter, written alike."""

    parameter: str
    unit: str
    form: str = ""


def series_of(part: Part, form: str | None) -> Series:
    """Return the series to which results of a part belong where they are written as `form`."""
    return Series(part.parameter, part.unit, form or "")


class Lately(NamedTuple):
    """What was found out at a place lately: its series, the most frequent first, and the result that presses most."""

    series: list[Series]
    pressing: Result | None


def found_lately(place: Place) -> Lately:
    """Look over a place's newest results; the gravest verdict among the newest of each series presses most."""
    newest = Result.objects.for_team(place.team_id).standing().filter(place=place).newest_first()
    frequent: Counter[Series] = Counter()
    verdicts: dict[Series, tuple[int, str]] = {}
    for pk, verdict, *written in newest.values_list("pk", "verdict", "parameter", "unit", "form")[:_HISTORY]:
        series = Series(*written)
        frequent[series] += 1
        verdicts.setdefault(series, (pk, verdict))
    if not verdicts:
        return Lately([], None)
    pressing, _ = max(verdicts.values(), key=lambda each: ("", *VERDICTS).index(each[1]))
    return Lately([series for series, _ in frequent.most_common()], newest.get(pk=pressing))


def usual_at(place: Place, series: Series, before: Determination | None = None) -> UsualRange | None:
    """Learn what is usual at a place from its latest trustworthy results of a series, drawn before a sample."""
    past = Result.objects.for_team(place.team_id).trustworthy().filter(place=place, **series._asdict())
    if before is not None and before.sample is not None:
        past = past.filter(taken_at__lt=before.sample.drawn_at)
    return usual_range(list(past.newest_first().values_list("value", flat=True)[:_HISTORY]))


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


def suggested_method(place: Place, family: list[Method], form: str | None) -> tuple[Method, str]:
    """Return the range of a family to begin with, and why: by the place's history, else the lowest.

    `form` is the one in which results are written; history in another form than the kit's own is brought to it.
    """
    lowest = family[0]
    part = lowest.main
    usual = usual_at(place, series_of(part, form))
    if usual is None:
        return lowest, "No history here yet: start with the lowest range." if len(family) > 1 else ""
    own_high = usual.high if form == part.form else convert(usual.high, part.unit, form, part.unit, part.form)
    fitting = next((method for method in family if method.reach and own_high <= 0.8 * method.reach), family[-1])
    written = f" as {form}" if form else ""
    return fitting, f"Usual here is {usual.low:.4g} to {usual.high:.4g} {part.unit}{written}."


def written_at(place: Place, part: Part) -> str | None:
    """Return the form in which results of a part are written at a place, by the team's school."""
    return written_form(part, house_rules(place.team).chosen["written_as"], place.limit_sets)


def tests_to_choose(place: Place, known: dict[str, list[Method]]) -> dict[str, Any]:
    """Return the tests to choose from at a place: those run here lately first, then all by what they find out."""
    newest = Result.objects.for_team(place.team_id).filter(place=place).newest_first()
    lately = newest.values_list("determination__method_key", flat=True)[:_LATELY]
    of_key = {method.key: family for family, methods in known.items() for method in methods}
    here = dict.fromkeys(of_key[key] for key in lately if key in of_key)
    by_parameter: dict[str, list[Method]] = {}
    for methods in known.values():
        by_parameter.setdefault(_subject(methods[0]), []).append(methods[0])
    return {"here": [known[family][0] for family in here], "all": sorted(by_parameter.items())}


def _subject(method: Method) -> str:
    return method.main.parameter if len(method.parts) == 1 else "several at once"
