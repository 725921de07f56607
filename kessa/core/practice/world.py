"""A made-up water with its bottles: what is in it, and what is wrong with it."""

from __future__ import annotations

import math
from random import Random
from typing import Annotated, Any, Literal

from pydantic import Field

from kessa.core.checked import Checked, Number
from kessa.core.methods.parts import Part
from kessa.core.methods.schema import Method

# Clocks run so many times faster, within these bounds (s).
FASTER, _LEAST_S, _MOST_S = 10, 6, 60
# What a reagent past its date still holds, and what air in an oxygen bottle adds (mg/L).
OLD, AIR = 0.75, 1.2
# Marks and results as a lot's own table has them.
_TABLE = ((1.0, 28.0), (2.2, 61.0), (3.4, 113.0), (4.6, 198.0), (5.8, 340.0), (6.6, 486.0))
_USUAL = {"pH": (5.5, 9.0), "degC": (2.0, 24.0), "uS/cm": (80.0, 2000.0), "NTU": (1.0, 80.0), "cm": (15.0, 100.0)}

Trait = Literal["", "expired", "cloudy", "iron", "bubble", "dirty"]
# What each looks like before anything is tested, and what it does to the number.
TRAITS: dict[str, tuple[str, str]] = {
    "": ("Nothing: go on", ""),
    "expired": ("The reagents are past their date", "Old titrant makes a count too high; an old dye stays too pale."),
    "cloudy": ("The sample is cloudy", "A cloud hides the end and darkens colours: let it settle, or filter it."),
    "iron": ("The sample is stained by iron", "Iron's own tint is read as colour, and it spoils some dyes."),
    "bubble": ("There is air in the bottle", "Air gives the water oxygen: the number is too high. Draw it anew."),
    "dirty": ("The vessel was not rinsed", "What clings to it is counted too: rinse it three times with the sample."),
}  # fmt: skip


class World(Checked):
    """What a practised water holds, by part, in the part's unit; and the one thing that is wrong with it, if any.

    `seed` decides everything that happens by chance: a world of one seed is always the same. `left` is what share the
    reagents still find of it, where they were put in in the wrong order.
    """

    seed: Annotated[int, Field(ge=0)]
    strengths: dict[str, Number]
    trait: Trait = ""
    left: Annotated[Number, Field(ge=0, le=1)] = 1.0

    def chance(self, *of: object) -> Random:
        """Return the chance by which something in this world falls out, the same each time it is asked."""
        return Random(f"{self.seed} {of}")  # noqa: S311 # a made-up world, not a secret

    def snapshot(self) -> dict[str, Any]:
        """Return it as plain data."""
        return self.model_dump(mode="json")


def made(method: Method, seed: int, trait: str = "", reach: tuple[float, float] = (0.25, 0.8)) -> World:
    """Make a world for a method: of each part a strength within a share of its range; a share above 1 is over it."""
    world = World.model_validate({"seed": seed, "strengths": {}, "trait": trait})
    strengths: dict[str, float] = {}
    for part in method.parts:
        low, high = practised_range(part)
        share = world.chance("strength", part.key).uniform(*reach)
        strengths[part.key] = low + (high - low) * share
        # Of a vessel counted in two stages, all together is more than the first.
        if part.counts == "all":
            strengths[part.key] = strengths[method.main.key] * (1 + world.chance("more").uniform(0.3, 0.9))
    return world.model_copy(update={"strengths": strengths})


def practised_range(part: Part) -> tuple[float, float]:
    """Return from where to where a part measures, in its unit; of what has no end, where its waters usually lie."""
    if part.kind == "difference":
        return 1.0, 20.0
    if part.parameter == "dissolved oxygen":
        return 1.0, 14.0
    numbers: Any = part.numbers
    if part.kind == "chart":
        results = [result for _, result in numbers.pairs]
        return min(results), max(results)
    if part.kind in ("count", "scale", "photometer") and part.reach is not None:
        return part.numbers.least or 0.0, part.reach
    if part.unit in _USUAL:
        return _USUAL[part.unit]
    return (2.0, part.reach or 40.0) if part.kind in ("volume", "direct") else (0.1, 2.0)


def for_practice(method: Method) -> Method:
    """Return a method that can be practised in minutes: its clocks run faster, and a lot's table is made up for it."""
    definition = method.with_tables(dict.fromkeys(method.lacks_table, _TABLE)).snapshot()
    for step in definition["steps"]:
        wait = step.get("wait") or {}
        for holder, names in ((wait, ("seconds", "within_s")), (step, ("settle_s", "between_s"))):
            holder |= {name: _faster(holder[name]) for name in names if holder.get(name)}
        if computed := wait.get("computed"):
            computed |= {name: computed[name] / FASTER for name in ("base_s", "per_s")}
    for part in definition["parts"]:
        if part.get("read_s"):
            first, last = part["read_s"]
            part["read_s"] = [math.ceil(first / FASTER), max(_faster(last), math.ceil(first / FASTER) + _LEAST_S)]
    return Method.model_validate(definition)


def _faster(seconds: float) -> int:
    return min(max(math.ceil(seconds / FASTER), _LEAST_S), _MOST_S)
