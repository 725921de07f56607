"""What a test itself asks for next: another run, the next range, a dilution, what would settle it."""

from __future__ import annotations

from collections.abc import Iterable

from kessa.core.methods.parts import Part
from kessa.core.methods.schema import Method
from kessa.core.quantities.quantity import plain
from kessa.core.runs.conclusion import Outcome


def steps_of_the_test(
    method: Method, part: Part, outcome: Outcome, higher_range: Method | None = None, settlers: Iterable[str] = ()
) -> tuple[str, ...]:
    """Say what the runs of a determination ask for; `settlers` is what of the team's own would settle the verdict."""
    steps = []
    if outcome.next == "higher range" and higher_range:
        steps.append(
            f"Repeat now with the {higher_range.vessel} vessel: "
            f"its range reaches {plain(higher_range.reach or 0.0)} {part.unit}."
        )
    elif outcome.next and method.may_dilute:
        steps.append("Dilute a fresh part of the sample with deionised water and repeat now: this was the top range.")
    elif outcome.next:
        steps.append(
            "Clearer than this can show: write it down as it is."
            if part.more_is_clearer
            else "Beyond what this method can show, and it must not be diluted: another method or a meter tells more."
        )
    if outcome.state == "not agreed":
        how = ", dropper upright, one drop at a time" if part.counted else ", with clean vessels and the clocks"
        steps.append(f"The runs do not agree: draw a fresh sample and repeat{how}.")
    elif outcome.state == "run again" and len(outcome.used) > 1:
        steps.append("The runs do not agree yet: run once more.")
    named = "; ".join(settlers)
    if named:
        steps.append(f"It would be settled by: {named}; or by a certified laboratory.")
    return tuple(steps)
