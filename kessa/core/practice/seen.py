"""What a made-up water shows: colours drop by drop, colours that come on in time, displays that settle, levels."""

from __future__ import annotations

from math import exp
from typing import Any

from kessa.core.colours.lab import Lab, hex_of_lab, lab_of_hex, mixed
from kessa.core.methods.parts import Part
from kessa.core.methods.schema import Method
from kessa.core.practice.curves import titrations
from kessa.core.practice.world import AIR, OLD, World
from kessa.core.readings.card_steps import place_on, value_at

# From where the eye calls a colour turned.
TURNED = 0.5
# Tablets and small volumes are made up to so much, in mL.
_VESSEL_ML = 10.0
_SHARP = 0.25
_SUPPLY = 3.6
# What a bottle turns in which something grew.
YELLOW = "#e2c230"
_BROWN, _MILK = Lab(55, 12, 40), Lab(82, 0, 3)
# A meter takes so long to come near its end (s), from how far off; frames go on for so long.
_SETTLES_S, _FRAMES = 4.0, 30
# By which light one looks: in words, and how it tints what is seen.
LIGHTS = {"window": "by the window", "lamp": "under a lamp", "shade": "in the shade"}
_TINTS = {"lamp": (Lab(75, 12, 45), 0.16), "shade": (Lab(20, 0, -25), 0.3)}


# ---- counts ----------------------------------------------------------------------------------------------------------


def units_needed(part: Part, world: World, run: str) -> float:
    """Return how many units a run takes up to its equivalence point: blanks take none of their own.

    A bottle's drops differ by 3 %, a run by 1 %, as in the worlds that the intervals are held to.
    """
    role = run.split("-", maxsplit=1)[0]
    background = getattr(part.numbers, "background", 0.0)
    if role == "blank":
        return float(background)
    if part.kind == "difference":
        units = _SUPPLY + (world.strengths[part.key] if role == "sample" else 0.0)
    else:
        units = world.strengths[part.key] / part.per
    content = world.chance("bottle").gauss(1, 0.03) * world.chance("run", run).gauss(1, 0.01)
    content *= OLD if world.trait == "expired" else 1.0
    return max(units / max(content, 0.5), 0.0) + background + (1.5 if world.trait == "dirty" else 0.0)


def turned(method: Method, part: Part, world: World, run: str) -> list[float]:
    """Return how far the colour has come after each whole unit, from none to the most that the range counts.

    By the family's own titration curve; of a method without one the colour turns within a quarter of a unit.
    """
    needed = units_needed(part, world, run)
    law, titrant = titrations().get(method.family), part.titrant
    if law is None or titrant is None:
        return [min(max((n - needed) / _SHARP + TURNED, 0.0), 1.0) for n in range(part.stop_at + 1)]
    meq = titrant.unit_meq or (titrant.drop_ml or 0.0) * (titrant.normality or 0.0)
    unit = meq / max(titrant.sample_ml, _VESSEL_ML)
    background = getattr(part.numbers, "background", 0.0)
    held = max(needed - background, 1e-3) * unit
    return [law.turned(max(n - background, 0.0) * unit, held) for n in range(part.stop_at + 1)]


def end_of(come: list[float]) -> int | None:
    """Return at which unit an eye calls the end; None where the range ends before."""
    return next((n for n, each in enumerate(come) if each >= TURNED and n), None)


def vessel(method: Method, part: Part, world: World, run: str) -> list[str]:
    """Return the colour of the vessel after each whole unit, as a screen shows it."""
    come = turned(method, part, world, run)
    end = end_of(come)
    named = {colour.role: lab_of_hex(colour.value) for colour in part.colours}
    colours = []
    for n, each in enumerate(come):
        if end is None or n < end:
            colour = mixed(named["not yet"], named["stays"], 0.8 * each)
        else:
            colour = mixed(named["stays"], named["too far"], min((n - end) / 2, 1.0))
        colours.append(hex_of_lab(_stained(colour, world)))
    return colours


def _stained(colour: Lab, world: World) -> Lab:
    if world.trait == "cloudy":
        return mixed(colour, _MILK, 0.35)
    return mixed(colour, _BROWN, 0.3) if world.trait == "iron" else colour


# ---- readings --------------------------------------------------------------------------------------------------------


def strength_seen(part: Part, world: World, run: str) -> float:
    """Return what a part's reagents or sensor see of its strength: what is wrong with the water included."""
    strength = world.strengths[part.key]
    if world.trait == "bubble" and part.parameter == "dissolved oxygen":
        strength += AIR
    if part.unit in ("pH", "degC", "cm"):
        return strength
    off = world.chance("reagent", part.key).gauss(1, 0.02) * world.chance("run", part.key, run).gauss(1, 0.01)
    old = OLD if world.trait == "expired" and part.kind in ("scale", "photometer", "chart") else 1.0
    return strength * off * old * world.left


def displayed(method: Method, part: Part, world: World, run: str) -> dict[str, Any]:
    """Return what a part that is read shows in a run, for its drawing: `as` says of what sort it is."""
    seen = strength_seen(part, world, run)
    wait, closes = _clock(method, part)
    if part.kind == "presence":
        return {"as": "bottle", "colour": YELLOW if world.chance("there").random() < 0.5 else "#dfe8e6"}
    if part.kind == "depth" or part.drawn_as == "tube":
        # An eye that knows where it is follows it a little further down than it finds it again.
        lost, again = (round(seen * by, 1) for by in (1.04, 0.96))
        most = part.numbers.card[-1] if part.numbers.card else 2 * seen
        return {"as": "depth", "lost": lost, "again": again, "most": round(max(most, lost) * 1.1), "step": 1}
    if part.chips:
        return {"as": "colour", "lights": _colours(part, world, seen, wait, closes)}
    if part.kind == "scale":
        steps = part.numbers.card
        return {"as": "words", "words": _beside_step(steps, place_on(steps, seen), part)}
    if part.kind in ("photometer", "meter"):
        return {"as": "display", "frames": _display(part, world, seen, run, wait, closes)}
    return {"as": "level", "at": _marks(part, seen, world, run)}


def _clock(method: Method, part: Part) -> tuple[float, float]:
    """Return when a part is ready to be read, and when it no longer is, in seconds after its clock was started."""
    before = method.steps[: method.step_reading(part.key)]
    waits = [step.wait for step in before if step.wait]
    ready = float((waits[-1].seconds or 10) if waits else 0)
    if part.read_s:
        return float(part.read_s[0]) or 1.0, float(part.read_s[1])
    within = waits[-1].within_s if waits else None
    return ready, ready + within if within else ready * 4 + 60


def _come_on(at: float, ready: float, closes: float) -> float:
    """Return what share of its colour a dye shows: nearly all when ready, more than all when it is read too late."""
    if not ready:
        return 1.0
    return min(1 - exp(-4 * at / ready) + max(at - closes, 0.0) / (2 * ready) * 0.3, 1.6)


def _frames(ready: float, closes: float) -> list[float]:
    last = closes + 2 * max(ready, 6.0)
    return [round(last * n / _FRAMES, 1) for n in range(_FRAMES + 1)] if ready else [0.0]


def _colours(part: Part, world: World, seen: float, ready: float, closes: float) -> dict[str, list[Any]]:
    steps = part.numbers.card
    labs = [lab_of_hex(chip.value) for chip in part.chips]
    # A dye of acidity starts in the middle of its card, any other from nothing.
    start = steps[len(steps) // 2] if part.unit == "pH" else steps[0]
    lights: dict[str, list[Any]] = {name: [] for name in LIGHTS}
    for at in _frames(ready, closes):
        place = place_on(steps, start + (seen - start) * _come_on(at, ready, closes))
        low = min(int(place), len(labs) - 2) if len(labs) > 1 else 0
        colour = _stained(mixed(labs[low], labs[min(low + 1, len(labs) - 1)], place - low), world)
        for name, each in lights.items():
            each.append([at, hex_of_lab(mixed(colour, *_TINTS[name]) if name in _TINTS else colour)])
    return lights


def _display(part: Part, world: World, seen: float, run: str, ready: float, closes: float) -> list[Any]:
    numbers: Any = part.numbers
    if part.kind == "photometer":
        high = numbers.range[1]
        finest = 0.01 if high < 10 else 0.1 if high < 100 else 1.0
        values = [(at, seen * _come_on(at, ready, closes)) for at in _frames(ready, closes)]
        return [[at, "over" if value > high else _written(value, finest)] for at, value in values]
    finest = numbers.resolution or 0.01
    chance = world.chance("settle", run)
    off = chance.choice((-1, 1)) * max(abs(seen) * 0.15, 8 * finest)
    # Once steady it creeps on, by a finest step at most.
    creeps = chance.uniform(-1, 1) * finest / _FRAMES
    return [[float(s), _written(seen + off * exp(-s / _SETTLES_S) + creeps * s, finest)] for s in range(_FRAMES)]


def _written(value: float, finest: float) -> str:
    decimals = max(0, len(f"{finest:.6f}".rstrip("0").split(".")[1]))
    return f"{round(value / finest) * finest:.{decimals}f}"


def _marks(part: Part, seen: float, world: World, run: str) -> dict[str, float]:
    """Return where the levels stand, by the field that each fills."""
    numbers: Any = part.numbers
    if part.kind == "chart":
        marks, results = zip(*numbers.pairs, strict=True)
        return {"mark": round(value_at(marks, place_on(results, seen)), 1)}
    reading = part.numbers.simulated(seen, world.chance("level", run))
    return {key: value for key, value in reading.items() if isinstance(value, int | float)}


def _beside_step(steps: tuple[float, ...], place: float, part: Part) -> str:
    if part.drawn_as == "pattern":
        return "seen" if place < 0.5 else "blurred" if place < 1.5 else "lost"
    near = round(place * 2) / 2
    low = int(near)
    named = f"{steps[low]:g}" if near == low else f"{steps[low]:g} and {steps[low + 1]:g}"
    return f"like {named}" if near == low else f"between {named}"
