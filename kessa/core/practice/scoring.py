"""How well a made-up water was tested: what was right, and what each slip would have done to the number."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from kessa.core.methods.parts import Part
from kessa.core.methods.schema import Method
from kessa.core.practice.orders import Order, order_of
from kessa.core.practice.seen import YELLOW, displayed, end_of, strength_seen, turned
from kessa.core.practice.world import TRAITS, World
from kessa.core.quantities.quantity import plain
from kessa.core.quantities.units import sign
from kessa.core.readings.card_steps import place_on
from kessa.core.runs.conclusion import Outcome
from kessa.core.runs.flags import FLAGS
from kessa.core.runs.state import RunState

# How near is right: whole units of a count, steps of a card, parts of what is shown on a display.
_UNITS, _STEPS, _PART = 1, 0.75, 0.02
_CLOCKS = ("read-early", "read-late", "not-timed", "wait-cut-short", "wait-too-long")


class Point(NamedTuple):
    """One thing that was looked at: whether it was right, in words, and what it did to the number."""

    key: str
    right: bool
    words: str
    effect: str = ""


class Practised(NamedTuple):
    """What a person did: runs by number, of each the first counts too, what came of it, and how they were marked."""

    samples: Mapping[int, RunState]
    firsts: Mapping[int, RunState]
    blanks: Mapping[int, RunState]
    outcomes: Mapping[str, Outcome]
    flags: Sequence[str] = ()
    # What they said was wrong before they began, and which of two reagents goes in first; the verdict they gave, and
    # the one that follows from the number.
    looked: str | None = None
    first: str | None = None
    judged: str | None = None
    verdict: str | None = None


def scored(method: Method, world: World, done: Practised, *, asks_blank: bool) -> list[Point]:
    """Return what was right and what was not, in the order of the job."""
    points = [_looked(world, done)] if done.looked is not None else []
    if done.first is not None and (order := order_of(method)):
        points.append(_order(order, right=done.first == "first"))
    if asks_blank:
        points.append(_blank(method, world, done))
    points += _clocks(done)
    counting = {number: state for number, state in done.samples.items() if state.counts}
    for part in method.parts:
        points += (
            _counts(method, part, world, done, counting) if part.counted else _reads(method, part, world, counting)
        )
    if method.agreement:
        points.append(_duplicate(method, done, len(counting)))
    if done.judged is not None and done.verdict:
        right = done.judged == done.verdict
        words = f"It is {done.verdict}." if right else f"You said {done.judged}: by this limit it is {done.verdict}."
        points.append(Point("judgement", right, words))
    return points


def _looked(world: World, done: Practised) -> Point:
    right = done.looked == world.trait
    words, effect = TRAITS[world.trait]
    if right:
        return Point(
            "looked", True, "Nothing spoke against testing it, and you saw that." if not world.trait else words
        )
    return Point("looked", False, words if world.trait else "There was nothing wrong with it.", effect)


def _order(order: Order, *, right: bool) -> Point:
    before, after = order.in_words
    return Point("order", right, f"{before} comes before {after}.", "" if right else order.why)


def _blank(method: Method, world: World, done: Practised) -> Point:
    run = [(number, state) for number, state in sorted(done.blanks.items()) if state.counts]
    if not run:
        return Point("blank", False, "No blank was run.", "What the reagents take by themselves is not known.")
    number, state = run[-1]
    end = end_of(turned(method, method.main, world, f"blank-{number}")) or 0
    unit = method.main.unit_of_count
    if abs(state.count - end) <= _UNITS:
        return Point("blank", True, f"The blank took {_units(state.count, unit)}.")
    return Point("blank", False, f"You counted {state.count} in the blank: its colour stayed at {end}.")


def _clocks(done: Practised) -> list[Point]:
    missed = [flag for flag in done.flags if flag in _CLOCKS]
    if not missed:
        return [Point("clocks", True, "Every clock was kept.")]
    effect = "Too early a colour is not there yet, too late it goes on: the number is too low, or too high."
    return [Point("clocks", False, f"{FLAGS[flag].words.capitalize()}.", effect) for flag in dict.fromkeys(missed)]


def _counts(method: Method, part: Part, world: World, done: Practised, counting: Mapping[int, RunState]) -> list[Point]:
    found: list[Point] = []
    for number, state in sorted(counting.items()):
        for called, count, ended, end in _ends(method, part, world, number, state, done.firsts.get(number)):
            found.append(_end(part, f"{called}run {number}", count, ended, end))
    # One line says it where all were right; each slip has its own.
    slips = [point for point in found if not point.right]
    return slips or found[:1]


def _ends(
    method: Method, part: Part, world: World, number: int, state: RunState, first: RunState | None
) -> list[tuple[str, int, bool | None, int | None]]:
    """Return what was counted in a run, and where its colour stayed: of a difference test in both waters."""

    def end(role: str) -> int | None:
        return end_of(turned(method, part, world, f"{role}-{number}"))

    if part.kind == "difference" and first:
        return [
            ("supply water, ", first.count, first.endpoint, end("supply")),
            ("system water, ", state.count, state.endpoint, end("sample")),
        ]
    if part.counts == "first" and first:
        return [("first stage, ", first.count, first.endpoint, end("sample"))]
    if part.counts == "all" and first:
        return [("second stage, ", first.count + state.count, state.endpoint, end("sample"))]
    return [("", state.count, state.endpoint, end("sample"))]


def _end(part: Part, called: str, count: int, ended: bool | None, end: int | None) -> Point:
    unit, key = part.unit_of_count, "end"
    if end is None:
        right = ended is False
        return Point(
            key,
            right,
            f"No end in this range: {called}." if right else f"In {called} the colour never stayed.",
            "" if right else "A number was written where there is only a floor: dilute, or take the next range.",
        )
    if ended is False:
        return Point(key, False, f"In {called} the colour stayed at {end}: you found no end.")
    off = count - end
    if abs(off) <= _UNITS:
        return Point(key, True, f"The end within {_units(_UNITS, unit)}: {count}, and the colour stayed at {end}.")
    worth = (
        f" {plain(abs(off) * part.per)} {sign(part.unit)} too {'much' if off > 0 else 'little'}." if part.per else ""
    )
    return Point(key, False, f"In {called} you called the end at {count}: the colour stayed at {end}.", worth.strip())


def _reads(method: Method, part: Part, world: World, counting: Mapping[int, RunState]) -> list[Point]:
    points = []
    for number, state in sorted(counting.items()):
        reading = state.readings.get(part.key)
        if reading is None:
            continue
        run = f"sample-{number}"
        points.append(_read(method, part, world, run, reading.raw))
    slips = [point for point in points if not point.right]
    return slips or points[:1]


def _read(method: Method, part: Part, world: World, run: str, raw: Mapping[str, object]) -> Point:
    seen = strength_seen(part, world, run)
    there = displayed(method, part, world, run)
    if there["as"] == "bottle":
        right = (raw.get("seen") == "present") == (there["colour"] == YELLOW)
        return Point(
            "read", right, f"{part.parameter.capitalize()}: {'as it was' if right else 'the bottle said otherwise'}."
        )
    found = part.determine(dict(raw)).quantity
    steps = part.numbers.card
    if steps:
        off = abs(place_on(steps, found.value) - place_on(steps, seen))
        # In a tube the last mark that is seen counts, up to a whole step below where it is lost.
        right, far = off <= (_STEPS if part.drawn_as != "tube" else 1.1), f"{plain(round(off, 1))} steps of the card"
    else:
        finest = getattr(part.numbers, "resolution", 0.0) or 0.0
        off = (
            abs(found.value - part.determine(there["at"]).quantity.value)
            if there["as"] == "level"
            else abs(found.value - seen)
        )
        right = off <= max(_PART * abs(seen), 2 * finest, 0.01)
        if there["as"] == "depth":
            right = off <= max(0.1 * seen, 2.0)
        far = f"{plain(float(f'{off:.2g}'))} {sign(part.unit)}"
    if found.censor and not steps:
        right = seen > (part.reach or seen) if found.censor == ">" else seen < (part.least or 0.0)
    words = f"{part.parameter}: you read {found.censor or ''}{plain(found.value)} {sign(part.unit)}".rstrip()
    water = f"the water showed {plain(float(f'{seen:.3g}'))}"
    return Point("read", right, f"{words[0].upper()}{words[1:]}; {water}.", "" if right else f"Off by {far}.")


def _duplicate(method: Method, done: Practised, runs: int) -> Point:
    outcome = done.outcomes[method.main.key]
    if outcome.state == "agreed":
        return Point("duplicate", True, "Two runs agree.")
    if outcome.state == "over range":
        return Point("duplicate", True, "Over the range: a second run would say no more.")
    if runs < 2:
        return Point("duplicate", False, "One run only.", "Nobody can tell a slip from the water: run it twice.")
    return Point(
        "duplicate",
        outcome.state != "run again",
        "The runs did not agree, and a third was not run."
        if outcome.state == "run again"
        else "The runs did not agree: that is what the record says.",
    )


def _units(count: int, unit: str) -> str:
    return f"{count} {unit}{'' if count == 1 else 's'}"


def held(world: World, outcomes: Mapping[str, Outcome]) -> dict[str, bool]:
    """Return by part whether the interval that was found holds what the water really holds."""
    found = {}
    for key, truth in world.strengths.items():
        quantity = outcomes[key].quantity if key in outcomes else None
        if quantity is not None and not quantity.words:
            found[key] = quantity.low <= truth and (quantity.high is None or truth <= quantity.high)
    return found
