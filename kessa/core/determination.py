"""From the runs of one sample to one result: the blank, the runs that agree, the interval and the flags."""

from __future__ import annotations

from typing import NamedTuple

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
}


class Blank(NamedTuple):
    """A blank with deionised water: the units it took, and "good", "questionable", "bad" or "missing"."""

    units: int | None
    verdict: str


class Outcome(NamedTuple):
    """What the runs of a determination amount to.

    `state`: "no run yet", "run again", "agreed", "not agreed" or "over range". `used` are the numbers (from 1) of the
    runs that count. `next` is None, "higher range" or "dilute".
    """

    state: str
    quantity: Quantity | None = None
    used: tuple[int, ...] = ()
    next: str | None = None
    working: tuple[str, ...] = ()
    flags: tuple[str, ...] = ()


def conclude(method: Method, runs: dict[int, RunState], blank: Blank | None, dilution: float = 1.0) -> Outcome:
    """Conclude from runs by number; void and unfinished ones do not count. `blank` None: none was asked for.

    The result is the mean of the closest pair, or what the rule of agreement takes; its interval spans the intervals
    of the runs it rests on (of all of them where no pair agrees). A run over the range makes the result a floor.
    Raises CannotCompute.
    """
    counted = {number: state for number, state in sorted(runs.items()) if state.counts}
    reader = method.reader()
    results = {number: reader.determine(state.reading(), dilution) for number, state in counted.items()}
    if not results:
        return Outcome("no run yet")
    flags = _shared_flags(runs, blank, dilution)
    working = _blank_line(method, blank) + _run_lines(results)
    if any(result.next for result in results.values()):
        return _over_range(results, working, flags)
    if len(results) == 1:
        (number, result), *_ = results.items()
        return Outcome("run again", result.quantity, (number,), None, working, (*flags, "one-run"))
    numbers = list(results)
    rule = method.agreement
    agreement = agree(
        [result.quantity.value for result in results.values()], rule.within, rule.rule, reader.per * dilution, rule.most
    )
    pair = tuple(numbers[index] for index in agreement.used)
    agreed = agreement.state == "agreed"
    used, value, taken = _by_school(method, results, pair, agreement.value)
    quantity = _spanning([results[number].quantity for number in (used if agreed else numbers)], value)
    apart = (
        f"Closest pair, runs {pair[0]} and {pair[1]}: mean {plain(agreement.value)} {method.unit}, "
        f"{plain(agreement.spread or 0.0)} apart; "
        f"{_rule_in_words(method)}: {'they agree' if agreed else 'they do not agree'}"
    )
    span = f"Truth between {plain(quantity.low)} and {plain(quantity.high or 0.0)} {method.unit}"
    flags = flags if agreed else (*flags, "not-agreed")
    return Outcome(agreement.state, quantity, used, None, (*working, apart, *taken, span), flags)


def _by_school(
    method: Method, results: dict[int, Determined], pair: tuple[int, ...], mean_of_pair: float
) -> tuple[tuple[int, ...], float, tuple[str, ...]]:
    """Return the runs that count, their value, and the line of working where it is not the closest pair's mean."""
    values = {number: result.quantity.value for number, result in results.items()}
    if method.agreement.takes == "mean":
        mean = sum(values.values()) / len(values)
        return tuple(values), mean, (f"House rule: the mean of all runs, {plain(mean)} {method.unit}",)
    if method.agreement.takes == "first":
        first, value = next(iter(values.items()))
        return (first,), value, (f"House rule: the first run counts, {plain(value)} {method.unit}",)
    return pair, mean_of_pair, ()


def _over_range(results: dict[int, Determined], working: tuple[str, ...], flags: tuple[str, ...]) -> Outcome:
    floor = min(result.quantity.low for result in results.values())
    first = next(iter(results.values())).quantity
    quantity = Quantity(floor, floor, None, ">", first.unit, first.form)
    following = next(result.next for result in results.values() if result.next)
    line = f"A run had no end within the range, so the result is only a floor: >{plain(floor)} {first.unit}"
    return Outcome("over range", quantity, tuple(results), following, (*working, line), (*flags, "over-range"))


def _spanning(quantities: list[Quantity], value: float) -> Quantity:
    first = quantities[0]
    high = max(quantity.high or quantity.value for quantity in quantities)
    low = min(quantity.low for quantity in quantities)
    censor = "<" if all(quantity.censor == "<" for quantity in quantities) else None
    return Quantity(value, low, high, censor, first.unit, first.form)


def _shared_flags(runs: dict[int, RunState], blank: Blank | None, dilution: float) -> tuple[str, ...]:
    flags = []
    if blank and blank.verdict != "good":
        flags.append(f"blank-{blank.verdict}")
    if dilution != 1:
        flags.append("diluted")
    if any(state.late for state in runs.values()):
        flags.append("late-taps")
    return tuple(flags)


def _blank_line(method: Method, blank: Blank | None) -> tuple[str, ...]:
    if blank is None:
        return ()
    if blank.units is None:
        return ("No blank was run",)
    took = f"{blank.units} {method.unit_of_count}{'' if blank.units == 1 else 's'}"
    return (f"Blank with deionised water: {took}, {blank.verdict}",)


def _run_lines(results: dict[int, Determined]) -> tuple[str, ...]:
    return tuple(f"Run {number}: {'. '.join(result.working)}" for number, result in results.items())


def _rule_in_words(method: Method) -> str:
    rule = method.agreement
    within = {
        "units": f"{plain(rule.within)} {method.unit_of_count}{'' if rule.within == 1 else 's'}",
        "relative": f"{plain(rule.within)} % of their mean",
        "absolute": f"{plain(rule.within)} {method.unit}",
    }[rule.rule]
    return f"at most {within} apart is agreement"
