"""The list by which a well is disinfected and flushed, and who may not drink until when."""

from __future__ import annotations

from kessa.core.treating.systems import Step

CONTACT_HOURS = 12.0
_WAIT_DAYS = 7


def well_steps(dose: str, least: float | None) -> tuple[Step, ...]:
    """Return the steps; `dose` is how much of what goes in, `least` the chlorine (mg/L as Cl2) that must be found.

    As health offices commonly ask after a flood or a find; the local office's own figures come first.
    """
    mixed = f"{dose} into a bucket of water" if dose else "Bleach, as the health office says, into a bucket of water"
    strong = f"{least or 50:g} mg/L of chlorine or more"
    return (
        Step("stop", "Nobody drinks it, cooks or brushes teeth with it; a note at every tap, other water brought", 0),
        Step("cause", "The way in was looked for and mended: cover, cap, lining, ground around it"),
        Step("bypass", "Softener, filters and carbon bypassed, as their sheets say"),
        Step("mix", f"{mixed}: goggles, gloves, open air; poured in around the wall"),
        Step(
            "circulate",
            f"Hose back into the well until a test of its water reads {strong}, then every tap opened until its water "
            "does: a kit that reads so high, not the nose",
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
