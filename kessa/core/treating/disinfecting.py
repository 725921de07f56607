"""Disinfecting a well: how much water stands in it, how much chlorine that takes, and in which order it is done."""

from __future__ import annotations

import math

from kessa.core.quantities.measured import above_0, takes
from kessa.core.quantities.spread import spread
from kessa.core.treating.amounts import figures, written
from kessa.core.treating.dosing import raise_level
from kessa.core.treating.products import RAISES, Product
from kessa.core.treating.raising import refused_in
from kessa.core.treating.systems import Finding, Proposal, Step, System
from kessa.core.treating.ways import ways

# What health offices commonly ask of a private well after a flood or a find: the local office's own figures come first.
SHOCK_MG_L, CONTACT_HOURS = 50.0, 12.0
_WAIT_DAYS = 7


@takes(standing_m=above_0("m"), bore_mm=above_0("mm"))
def water_in_well(standing_m: float, bore_mm: float) -> float:
    """Return how many litres stand in a well: π/4·diameter²·height; `standing_m` and `bore_mm` above 0.

    Raises CannotCompute on either.

    >>> round(water_in_well(20, 150))
    353
    """
    return math.pi / 4 * (bore_mm / 1000) ** 2 * standing_m * 1000


def shock(system: System, finding: Finding, rank: int) -> Proposal:
    """Propose to disinfect and flush a well in which bacteria were found, and who may not drink until when."""
    base = Proposal(
        "disinfect", "disinfect", rank, 0, "Disinfect the well, flush it, and have it tested",
        why=f"{finding.parameter} found. First look how it gets in: cover, cap, lining, flood, a drain too near.",
        parameter=finding.parameter, again_hours=ways()["disinfect"].again_hours, steps=_steps(""),
        results=(finding.result,),
    )  # fmt: skip
    held = next((each for each in system.products if _may_shock(system, each.product)), None)
    missing = []
    if system.volume is None:
        missing.append("How much water stands in it: the well's depth less the depth to its water, and its bore.")
    if held is None:
        missing.append(
            f"No product of the team may raise free chlorine to {SHOCK_MG_L:g} mg/L in drinking water: plain bleach "
            "without scent does, whose label says that it is approved for it."
        )
    if system.volume is None or held is None:
        return base._replace(missing=tuple(missing))
    product = held.product
    by = product.changes("mg/L", "Cl2")
    amount = spread(lambda v: raise_level(v, 0.0, SHOCK_MG_L).active_g / by, system.volume)
    return base._replace(
        title=f"Disinfect the well with {{amount}} of {product.name}, flush it, and have it tested",
        steps=_steps(written(amount.value, product.kept) + f" of {product.name}"),
        working=(
            f"{figures(system.volume.value)} L × {SHOCK_MG_L:g} mg/L free chlorine / 1000 "
            f"= {figures(system.volume.value * SHOCK_MG_L / 1000)} g as Cl2",
            f"{product.strength}: {written(amount.value, product.kept)}",
        ),
        amount=amount, kept=product.kept, product=held.key,
    )  # fmt: skip


def _may_shock(system: System, product: Product) -> bool:
    """Whether a product raises free chlorine, its label allows so much, and nothing in the well must not meet it."""
    if product.does != RAISES or product.parameter != "free chlorine" or refused_in(system, product):
        return False
    most = product.most_in("mg/L", "Cl2")
    return most is None or most >= SHOCK_MG_L


def _steps(amount: str) -> tuple[Step, ...]:
    dose = f"{amount} into a bucket of water" if amount else "Bleach, as the health office says, into a bucket of water"
    return (
        Step("stop", "Nobody drinks it, cooks or brushes teeth with it; a note at every tap, other water brought", 0),
        Step("cause", "The way in was looked for and mended: cover, cap, lining, ground around it"),
        Step("bypass", "Softener, filters and carbon bypassed, as their sheets say"),
        Step("mix", f"{dose}: goggles, gloves, open air; poured in around the wall"),
        Step(
            "circulate",
            "Hose back into the well until its water smells of chlorine, then every tap opened until it does",
        ),
        Step("stand", f"Left to stand {CONTACT_HOURS:g} hours or more; nobody uses any water"),
        Step(
            "flush",
            "Pumped to waste until the test finds no chlorine: onto ground away from brook, pond and septic field",
        ),
        Step("still", "Still not drunk: first a test says so"),
        Step("lab", f"After {_WAIT_DAYS} days drawn into a sterile bottle, to a certified laboratory"),
        Step("cleared", "The health office has said what follows"),
    )
