"""A method as it is led at a place: its steps for that kind of water, and what its windows ask of the sample."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from kessa.core.job.place_kinds import PlaceKind
from kessa.core.job.waste import waste_streams
from kessa.core.methods.schema import Method
from kessa.core.methods.steps import Step
from kessa.core.methods.windows import window_steps

# How methods are led of whose samples nothing is known: lists ask again and again. Each stands with its method, so that
# the number that it goes by is nobody else's.
_kept: dict[tuple[int, str | None], tuple[Method, Method]] = {}
_MOST_KEPT = 4000
# What strips of pH 6 to 11 can tell; beyond it wants pH paper.
_STRIP = (6.0, 11.0)


def led_at(method: Method, kind: PlaceKind | None, known: Mapping[str, float] | None = None) -> Method:
    """Return a method as it is led at a kind of place; at none, for a blank or a standard, nothing is asked of water.

    `known` are the pH ("ph") and temperature in °C ("temperature") of the same sample: one that lies in the method's
    window is not asked for again. Steps, and what they use, that hang on something not asked here are left out.
    """
    if known:
        return _led_at(method, kind, known)
    of = (id(method), kind.key if kind else None)
    found = _kept.get(of)
    if found is None:
        if len(_kept) >= _MOST_KEPT:
            _kept.clear()
        found = _kept[of] = method, _led_at(method, kind, {})
    return found[1]


def _led_at(method: Method, kind: PlaceKind | None, known: Mapping[str, float]) -> Method:
    definition = method.snapshot()
    # Each goes in before the one that was put in before it.
    for key, step in reversed(window_steps(method.ph_window, method.temperature_c).items()) if kind else ():
        _ask(definition, key, step, known.get(key), reads_it=method.reads_temperature)
    water = kind.water if kind else None
    steps, uses = (
        [each for each in definition.get(name, ()) if not each.get("waters") or water in each["waters"]]
        for name in ("steps", "uses")
    )
    asked = {each["ask"]["key"] for each in steps if "ask" in each}
    while len(kept := [each for each in steps if set(each.get("when", ())) <= asked]) < len(steps):
        steps, asked = kept, {each["ask"]["key"] for each in kept if "ask" in each}
    if kind and kind.at_the_bench:
        steps[0]["caution"] = " ".join(filter(None, (kind.at_the_bench, steps[0].get("caution"))))
    if kind and kind.leftover and definition.get("waste_to") == "back":
        definition |= {"waste": kind.leftover, "waste_to": kind.leftover_to}
        if jar := waste_streams()[kind.leftover_to].jar:
            definition["gear"] = [*definition.get("gear", ()), jar]
    definition["steps"] = steps
    definition["uses"] = [each for each in uses if set(each.get("when", ())) <= asked]
    return Method.model_validate(definition)


def _ask(definition: dict[str, Any], key: str, step: Step, known: float | None, *, reads_it: bool) -> None:
    """Ask for what a window is about after the first step, unless the method asks itself or it is known to fit."""
    assert step.ask is not None
    asks_itself = any(each.get("ask", {}).get("key") == key for each in definition["steps"])
    if asks_itself or (key == "temperature" and reads_it) or (known is not None and step.ask.side(known) == "within"):
        return
    definition["steps"].insert(1, step.model_dump(mode="json", exclude_none=True))
    if key == "ph":
        strip = "ph-strip" if _STRIP[0] <= (step.ask.least or 0) and (step.ask.most or 0) <= _STRIP[1] else "ph-paper"
        use = {"supply": strip, "amount": 1.0, "per": "sample", "when": {key: "measured"}}
        definition["uses"] = [*definition.get("uses", ()), use]
