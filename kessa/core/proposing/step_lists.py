"""What is done in steps that are ticked off: a well disinfected and flushed, a sample drawn for Legionella."""

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


def legionella_steps(*, many: bool) -> tuple[Step, ...]:
    """Return the steps of a sample for Legionella; `many` where a laboratory found more than 1000 in a litre.

    ISO 11731 for the culture, ISO 19458 for the sample; what is done at which count by HSE HSG274 part 1, table 1.10.
    """
    at_once = (
        Step("fans", "Fans and sprays off; nobody near without a respirator of the class that the assessment names", 0),
        Step("told", "Who answers for the tower told, and by them the authority that the local rule names", 4),
    )
    again = (
        Step("disinfected", "Disinfected, cleaned where it is dirty, and the assessment gone through", 48),
        Step("again", "Drawn again two to seven days after the disinfection, before it runs as usual"),
    )
    drawn = (
        Step("mask", "Respirator, goggles and gloves on; fans off while one draws, upwind, without spray"),
        Step("before", "Before any biocide goes in; else the laboratory is told which, and when"),
        Step(
            "bottle", "The laboratory's sterile bottle with its neutraliser, from a point that circulates; not rinsed"
        ),
        Step("cold", "Labelled, in the dark at 6 to 18 °C, at the laboratory within 24 hours"),
        Step("report", "Its report is here, in colony-forming units a litre: the culture takes ten days"),
    )
    return (*(at_once if many else ()), *drawn, *(again if many else ()))
