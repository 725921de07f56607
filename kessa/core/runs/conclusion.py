"""From the runs of one sample to one result: the blank, the runs that agree, the interval and the flags."""

from __future__ import annotations

from collections.abc import Mapping
from statistics import fmean
from typing import Any, NamedTuple

from kessa.core.methods.computed import Computed
from kessa.core.methods.parts import Part
from kessa.core.methods.replicates import Agreement, agree
from kessa.core.methods.schema import Method
from kessa.core.quantities.quantity import Quantity, plain
from kessa.core.quantities.units import sign
from kessa.core.readings.kind import Determined, truth_in_words

Readings = Mapping[int, Mapping[str, Any]]


class Blank(NamedTuple):
    """A blank with deionised water: the units it took, and "good", "questionable", "bad" or "missing"."""

    units: int | None
    verdict: str


class Outcome(NamedTuple):
    """What the runs of a determination amount to for one part of its method.

    `state`: "no run yet", "run again", "agreed", "not agreed", "over range", "single" where one reading is a result, or
    "cannot be compared" where the runs are too unlike for the rule. `used` are the numbers (from 1) of the runs that
    count. `next` is None, "higher range" or "dilute".
    """

    state: str
    quantity: Quantity | None = None
    used: tuple[int, ...] = ()
    next: str | None = None
    working: tuple[str, ...] = ()
    flags: tuple[str, ...] = ()

    @property
    def may_agree(self) -> bool:
        """Whether no runs were found to disagree: where they do, being inside is not settled."""
        return self.state not in ("not agreed", "cannot be compared")


def conclude(
    method: Method,
    part: Part,
    readings: Readings,
    blank: Blank | None = None,
    dilution: float = 1.0,
    written_as: str | None = None,
) -> Outcome:
    """Conclude on a part from its readings by number of run. `blank` None: none was asked for.

    The result is the mean of the closest pair, or what the rule of agreement takes; its interval has the mean of the
    ends of the runs it rests on: a mean is no worse than one of them. Where no pair agrees it spans them all. A run
    over the range makes the result a floor.
    `written_as` is the form in which the result is written, by default the part's own. Raises CannotCompute on a
    reading that cannot be computed; runs that cannot be compared are a state.
    """
    took = blank.units if blank and part.numbers.has_blank else None
    results = {
        number: part.determine(raw, dilution, blank=took or 0.0, of_blank=method.of_blank)
        for number, raw in sorted(readings.items())
    }
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


def conclude_computed(method: Method, computed: Computed, outcomes: Mapping[str, Outcome]) -> Outcome:
    """Conclude on what follows from other parts' results: as doubtful as the most doubtful of them."""
    rests_on = [outcomes[key] for key in (computed.of, computed.minus) if key]
    found = {key: outcomes[key].quantity for key in (computed.of, computed.minus) if key}
    known = {key: method.part(key).own(quantity) for key, quantity in found.items() if quantity is not None}
    computing = computed.compute(known) if len(known) == len(found) else None
    if computing is None:
        return Outcome("no run yet")
    quantity, line = computing
    state = next((each.state for each in rests_on if each.state != "agreed"), "agreed")
    used = tuple(sorted({number for each in rests_on for number in each.used}))
    flags = tuple(dict.fromkeys(flag for each in rests_on for flag in each.flags))
    return Outcome(state, quantity, used, None, (line, truth_in_words(quantity)), flags)


def _concluded(method: Method, part: Part, results: dict[int, Determined], dilution: float) -> Outcome:
    rule = method.agreement
    if any(result.quantity.censor == ">" for result in results.values()):
        return _over_range(results)
    if len(results) == 1 or rule is None:
        number, result = list(results.items())[-1]
        if rule is None:
            line = (f"The last reading counts, run {number}",) if len(results) > 1 else ()
            return Outcome("single", result.quantity, (number,), None, line)
        return Outcome("run again", result.quantity, (number,), None, (), ("one-run",))
    numbers = list(results)
    values = [result.quantity.value for result in results.values()]
    agreement = agree(values, rule.by(part, dilution), rule.most)
    chosen = tuple(numbers[index] for index in agreement.used)
    agreed = agreement.state == "agreed"
    used, value, taken = _by_school(rule.takes, part, results, chosen, agreement.value)
    quantity = _together([results[number].quantity for number in (used if agreed else numbers)], value, agreed)
    span = f"Likely between {plain(quantity.low)} and {plain(quantity.high or 0.0)} {sign(part.unit)}".rstrip()
    working = (_apart(method, part, agreement, chosen), *taken, span)
    if agreement.spread is None:
        flags = ("not-comparable",)
        return Outcome("cannot be compared", quantity, used, None, working, flags)
    return Outcome(agreement.state, quantity, used, None, working, () if agreed else ("not-agreed",))


def _apart(method: Method, part: Part, agreement: Agreement, chosen: tuple[int, ...]) -> str:
    rule = method.agreement
    assert rule is not None
    unit = {"relative": "%", "steps": "steps of the card"}.get(rule.rule, sign(part.unit))
    apart = "too unlike to compare" if agreement.spread is None else f"{plain(agreement.spread)} {unit} apart".strip()
    runs = f"{', '.join(map(str, chosen[:-1]))} and {chosen[-1]}"
    which = "Closest pair, runs" if len(chosen) == 2 else "Equally close, runs"
    verdict = "they agree" if agreement.state == "agreed" else "they do not agree"
    mean = f"{plain(agreement.value)} {sign(part.unit)}".rstrip()
    return f"{which} {runs}: mean {mean}, {apart}; at most {rule.in_words(part)} apart is agreement: {verdict}"


def _by_school(
    takes: str, part: Part, results: dict[int, Determined], chosen: tuple[int, ...], mean_of_chosen: float
) -> tuple[tuple[int, ...], float, tuple[str, ...]]:
    """Return the runs that count, their value, and the line of working where it is not the closest pair's mean."""
    values = {number: result.quantity.value for number, result in results.items()}
    if takes == "mean":
        mean = sum(values.values()) / len(values)
        return tuple(values), mean, (f"House rule: the mean of all runs, {plain(mean)} {part.unit}",)
    if takes == "first":
        first, value = next(iter(values.items()))
        return (first,), value, (f"House rule: the first run counts, {plain(value)} {part.unit}",)
    return chosen, mean_of_chosen, ()


def _over_range(results: dict[int, Determined]) -> Outcome:
    """A run without an upper end makes the result a floor that no run contradicts."""
    found = [result.quantity for result in results.values()]
    floor = min(quantity.value if quantity.censor == ">" else quantity.low for quantity in found)
    low = min(quantity.low for quantity in found)
    quantity = Quantity(floor, low, None, ">", found[0].unit, found[0].form)
    following = next((result.next for result in results.values() if result.next), None)
    line = f"A run went beyond the range, so the result is only a floor: >{plain(floor)} {quantity.unit}"
    return Outcome("over range", quantity, tuple(results), following, (line,), ("over-range",))


def _together(quantities: list[Quantity], value: float, agreed: bool) -> Quantity:
    """Return a value with the mean of the ends of runs that agree, with the outermost ends where they do not."""
    first = quantities[0]
    lows = [quantity.low for quantity in quantities]
    highs = [quantity.high if quantity.high is not None else quantity.value for quantity in quantities]
    low, high = (fmean(lows), fmean(highs)) if agreed else (min(lows), max(highs))
    censor = "<" if all(quantity.censor == "<" for quantity in quantities) else None
    return Quantity(value, low, high, censor, first.unit, first.form)


def _shared_flags(blank: Blank | None, dilution: float) -> tuple[str, ...]:
    of_blank = (f"blank-{blank.verdict}",) if blank and blank.verdict != "good" else ()
    return (*of_blank, "diluted") if dilution != 1 else of_blank


def _blank_line(part: Part, blank: Blank | None) -> tuple[str, ...]:
    if blank is None:
        return ()
    if blank.units is None:
        return ("No blank was run",)
    took = f"{blank.units} {part.unit_of_count}{'' if blank.units == 1 else 's'}"
    return (f"Blank with deionised water: {took}, {blank.verdict}",)


def _run_lines(part: Part, readings: Readings, results: dict[int, Determined]) -> tuple[str, ...]:
    return tuple(
        f"Run {number}{_with_temperature(part, readings[number])}: {'. '.join(result.working)}"
        for number, result in results.items()
    )


def _with_temperature(part: Part, raw: Mapping[str, Any]) -> str:
    """What was noted with a reading and does not enter the arithmetic."""
    sensor = f", sensor {raw['sensor']}" if raw.get("sensor") else ""
    has_temperature = not getattr(part.numbers, "per_degree", 0.0) and raw.get("temperature_c") is not None
    return f"{sensor}, water at {plain(raw['temperature_c'])} °C" if has_temperature else sensor
