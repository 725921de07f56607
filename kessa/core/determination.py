"""From the runs of one sample to one result: the blank, the runs that agree, the interval and the flags."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any, NamedTuple

from kessa.core.methods.parts import Part
from kessa.core.methods.schema import Method
from kessa.core.quantity import Quantity, plain
from kessa.core.readings.kind import Determined
from kessa.core.replicates import agree
from kessa.core.runs import RunState

FLAGS = {
    "blank-questionable": "blank questionable",
    "blank-bad": "blank bad",
    "blank-missing": "no blank",
    "one-run": "one run only",
    "not-agreed": "runs do not agree",
    "over-range": "over the range",
    "diluted": "diluted",
    "late-taps": "taps after the end",
    "further-run": "further run added",
    "unusual": "unusual here",
    "sample-too-old": "sample too old for this test",
    "lot-expired": "lot expired",
    "lot-opened-too-long": "lot open for too long",
    "lot-damp": "lot suspected damp",
    "lot-used-up": "lot used up by the book",
    "lot-missing": "no lot named",
    "check-failed": "instrument failed its last check",
    "check-overdue": "instrument check overdue",
    "read-early": "read too early",
    "read-late": "read too late",
    "not-timed": "reading not timed",
    "part-missing": "stopped before the end",
    "cloudy": "sample cloudy",
    "ph-outside": "sample's pH outside the method's window",
    "not-filtered": "not filtered, so not dissolved alone",
    "quality-bad": "a check of that day failed",
}


class Blank(NamedTuple):
    """A blank with deionised water: the units it took, and "good", "questionable", "bad" or "missing"."""

    units: int | None
    verdict: str


class Outcome(NamedTuple):
    """What the runs of a determination amount to for one part of its method.

    `state`: "no run yet", "run again", "agreed", "not agreed", "over range", or "single" where one reading is a result.
    `used` are the numbers (from 1) of the runs that count. `next` is None, "higher range" or "dilute".
    """

    state: str
    quantity: Quantity | None = None
    used: tuple[int, ...] = ()
    next: str | None = None
    working: tuple[str, ...] = ()
    flags: tuple[str, ...] = ()


def conclude(
    method: Method,
    part: Part,
    readings: Mapping[int, Mapping[str, Any]],
    blank: Blank | None = None,
    dilution: float = 1.0,
    written_as: str | None = None,
) -> Outcome:
    """Conclude on a part from its readings by number of run. `blank` None: none was asked for.

    The result is the mean of the closest pair, or what the rule of agreement takes; its interval spans the intervals
    of the runs it rests on (of all of them where no pair agrees). A run over the range makes the result a floor.
    `written_as` is the form in which the result is written, by default the part's own. Raises CannotCompute.
    """
    results = {number: part.determine(raw, dilution) for number, raw in sorted(readings.items())}
    if not results:
        return Outcome("no run yet")
    outcome = _concluded(method, part, results, dilution)
    flags = _shared_flags(blank, dilution) + outcome.flags
    working = _blank_line(part, blank) + _run_lines(part, readings, results) + outcome.working
    quantity = outcome.quantity
    assert quantity is not None
    if written_as and written_as != quantity.form:
        quantity, line = part.written_as(quantity, written_as)
        working += (f"Written as {written_as}: {line}",)
    return outcome._replace(quantity=quantity, working=working, flags=flags)


def _concluded(method: Method, part: Part, results: dict[int, Determined], dilution: float) -> Outcome:
    rule = method.agreement
    if any(result.next for result in results.values()):
        return _over_range(results)
    if len(results) == 1 or rule is None:
        number, result = list(results.items())[-1]
        if rule is None:
            others = len(results) > 1
            line = (f"The last reading counts, run {number}",) if others else ()
            return Outcome("single", result.quantity, (number,), None, line)
        return Outcome("run again", result.quantity, (number,), None, (), ("one-run",))
    numbers = list(results)
    per = (part.numbers.per or 1.0) * dilution
    values = [result.quantity.value for result in results.values()]
    agreement = agree(values, rule.within, rule.rule, per, rule.most)
    pair = tuple(numbers[index] for index in agreement.used)
    agreed = agreement.state == "agreed"
    used, value, taken = _by_school(rule.takes, part, results, pair, agreement.value)
    quantity = _spanning([results[number].quantity for number in (used if agreed else numbers)], value)
    apart = (
        f"Closest pair, runs {pair[0]} and {pair[1]}: mean {plain(agreement.value)} {part.unit}, "
        f"{plain(agreement.spread or 0.0)} apart; "
        f"{_rule_in_words(method, part)}: {'they agree' if agreed else 'they do not agree'}"
    )
    span = f"Truth between {plain(quantity.low)} and {plain(quantity.high or 0.0)} {part.unit}"
    flags = () if agreed else ("not-agreed",)
    return Outcome(agreement.state, quantity, used, None, (apart, *taken, span), flags)


def _by_school(
    takes: str, part: Part, results: dict[int, Determined], pair: tuple[int, ...], mean_of_pair: float
) -> tuple[tuple[int, ...], float, tuple[str, ...]]:
    """Return the runs that count, their value, and the line of working where it is not the closest pair's mean."""
    values = {number: result.quantity.value for number, result in results.items()}
    if takes == "mean":
        mean = sum(values.values()) / len(values)
        return tuple(values), mean, (f"House rule: the mean of all runs, {plain(mean)} {part.unit}",)
    if takes == "first":
        first, value = next(iter(values.items()))
        return (first,), value, (f"House rule: the first run counts, {plain(value)} {part.unit}",)
    return pair, mean_of_pair, ()


def _over_range(results: dict[int, Determined]) -> Outcome:
    floor = min(result.quantity.low for result in results.values())
    first = next(iter(results.values())).quantity
    quantity = Quantity(floor, floor, None, ">", first.unit, first.form)
    following = next(result.next for result in results.values() if result.next)
    line = f"A run went beyond the range, so the result is only a floor: >{plain(floor)} {first.unit}"
    return Outcome("over range", quantity, tuple(results), following, (line,), ("over-range",))


def _spanning(quantities: list[Quantity], value: float) -> Quantity:
    first = quantities[0]
    high = max(quantity.high if quantity.high is not None else quantity.value for quantity in quantities)
    low = min(quantity.low for quantity in quantities)
    censor = "<" if all(quantity.censor == "<" for quantity in quantities) else None
    return Quantity(value, low, high, censor, first.unit, first.form)


def _shared_flags(blank: Blank | None, dilution: float) -> tuple[str, ...]:
    of_blank = (f"blank-{blank.verdict}",) if blank and blank.verdict != "good" else ()
    return (*of_blank, "diluted") if dilution != 1 else of_blank


def run_flags(method: Method, runs: Mapping[int, RunState], answers: Mapping[str, Any]) -> tuple[str, ...]:
    """Return what the course of the runs and the answers given on the way say about every result of a determination."""
    flags = ["late-taps"] if any(state.late for state in runs.values()) else []
    for state in runs.values():
        if state.counts:
            flags += timing(method, state).values()
            flags += ["part-missing"] if state.stopped and state.missing else []
    asked = [ask.flag_of(answers[key]) for key, ask in method.asks.items() if key in answers]
    return tuple(dict.fromkeys([*flags, *filter(None, asked)]))


def timing(method: Method, state: RunState) -> dict[str, str]:
    """Return by part how a reading missed its time: "read-early", "read-late" or "not-timed"."""
    missed = {}
    for key, reading in state.readings.items():
        window = reading_window(method, key, state)
        at = datetime.fromisoformat(reading.at)
        if window is None:
            continue
        if window.opens is None:
            missed[key] = "not-timed"
        elif at < window.opens:
            missed[key] = "read-early"
        elif window.closes and at > window.closes:
            missed[key] = "read-late"
    return missed


class ReadingWindow(NamedTuple):
    """From when to when a part may be read; `opens` None where the clock it hangs on was not started."""

    opens: datetime | None
    closes: datetime | None = None


def reading_window(method: Method, key: str, state: RunState) -> ReadingWindow | None:
    """Return when a part may be read by the clock of the last step before it; None where no clock binds it."""
    part = method.part(key)
    reads = next(
        n for n, step in enumerate(method.steps) if step.kind == "read" and (not step.parts or key in step.parts)
    )
    waits = [(number, step.wait) for number, step in enumerate(method.steps[:reads]) if step.wait]
    if not waits:
        return None
    number, wait = waits[-1]
    clock = state.clocks.get(number)
    binding = part.read_s is not None or wait.rule == "exact"
    if clock is None:
        return ReadingWindow(None) if binding else None
    begun = datetime.fromisoformat(clock.at)
    if part.read_s:
        return ReadingWindow(*(begun + timedelta(seconds=seconds) for seconds in part.read_s))
    opens = begun + timedelta(seconds=clock.seconds)
    return ReadingWindow(opens, opens + timedelta(seconds=wait.within_s) if wait.within_s else None)


def _blank_line(part: Part, blank: Blank | None) -> tuple[str, ...]:
    if blank is None:
        return ()
    if blank.units is None:
        return ("No blank was run",)
    took = f"{blank.units} {part.unit_of_count}{'' if blank.units == 1 else 's'}"
    return (f"Blank with deionised water: {took}, {blank.verdict}",)


def _run_lines(
    part: Part, readings: Mapping[int, Mapping[str, Any]], results: dict[int, Determined]
) -> tuple[str, ...]:
    return tuple(
        f"Run {number}{_beside(part, readings[number])}: {'. '.join(result.working)}"
        for number, result in results.items()
    )


def _beside(part: Part, raw: Mapping[str, Any]) -> str:
    """What was noted with a reading and does not enter the arithmetic."""
    sensor = f", sensor {raw['sensor']}" if raw.get("sensor") else ""
    beside = not part.numbers.per_degree and raw.get("temperature_c") is not None
    return f"{sensor}, water at {plain(raw['temperature_c'])} °C" if beside else sensor


def _rule_in_words(method: Method, part: Part) -> str:
    rule = method.agreement
    assert rule is not None
    within = {
        "units": f"{plain(rule.within)} {part.unit_of_count}{'' if rule.within == 1 else 's'}",
        "relative": f"{plain(rule.within)} % of their mean",
        "absolute": f"{plain(rule.within)} {part.unit}",
    }[rule.rule]
    return f"at most {within} apart is agreement"
