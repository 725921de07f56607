"""A kit's own numbers on a house method: what its sheet prints for waits, volume, card and factors."""

from __future__ import annotations

import re
from typing import Annotated, Any

from pydantic import Field

from kessa.core.checked import Checked, Number, Positive
from kessa.core.methods.parts import Key, Text
from kessa.core.methods.schema import Method
from kessa.core.methods.steps import Seconds
from kessa.core.quantities.quantity import plain


class KitNumbers(Checked):
    """What differs from the house's numbers; what is absent stays as the house has it.

    `waits` and `within` are in seconds, by what the clock is for; `per` is what one unit is worth and `also` the factor
    to another form, by part; `cards` are the printed steps, by part; `sample_ml` is what is filled in.
    """

    waits: dict[Text, Seconds] = Field(default_factory=dict)
    within: dict[Text, Seconds] = Field(default_factory=dict)
    sample_ml: Positive | None = None
    per: dict[Key, Positive] = Field(default_factory=dict)
    also: dict[Key, dict[Text, Positive]] = Field(default_factory=dict)
    cards: dict[Key, Annotated[tuple[Number, ...], Field(min_length=2, max_length=60)]] = Field(default_factory=dict)

    @property
    def differs(self) -> bool:
        """Whether anything is other than the house has it."""
        return bool(self.model_dump(exclude_none=True, exclude_defaults=True))


def with_kit_numbers(method: Method, numbers: KitNumbers) -> Method:
    """Return a house method with a kit's own numbers in it; raises ValidationError where they make none.

    What one unit is worth follows the volume by chemistry unless it is given; what a result is good to at least, being
    so many units, follows what one is worth.
    """
    definition = method.snapshot()
    for step in definition["steps"]:
        if clock := step.get("wait"):
            if clock["what"] in numbers.waits and clock.get("seconds"):
                clock["seconds"] = numbers.waits[clock["what"]]
            if clock["what"] in numbers.within:
                clock["within_s"] = numbers.within[clock["what"]]
    if numbers.sample_ml and fills_to(method):
        definition = _filled_to(definition, numbers.sample_ml)
    for part in definition["parts"]:
        _change(part, numbers)
    return Method.model_validate(definition)


def fills_to(method: Method) -> float | None:
    """Return how many mL a vessel is filled to, where its words say just that; None where it is made up."""
    titrant = method.main.titrant
    return (
        titrant.sample_ml if titrant and method.vessel == f"{plain(titrant.sample_ml)} mL" and _named(method) else None
    )


def _named(method: Method) -> bool:
    """Whether a step names the volume, and no other step a volume that the sample is made up to."""
    texts = [step.text for step in method.steps]
    made_up = any("deionised water to" in text for text in texts)
    return not made_up and any(_volume(method.vessel).search(text) for text in texts)


def _volume(words: str) -> re.Pattern[str]:
    """Find a volume that is not the end of another: 5 mL, but not in 25 mL."""
    return re.compile(rf"(?<![\d.,]){re.escape(words)}")


def _filled_to(definition: dict[str, Any], sample_ml: float) -> dict[str, Any]:
    """Fill to another volume: the words that name it, and what one unit is worth in it."""
    before, after = definition["vessel"], f"{plain(sample_ml)} mL"
    for part in definition["parts"]:
        if titrant := part.get("titrant"):
            _make_worth(part, part["numbers"]["per"] * titrant["sample_ml"] / sample_ml)
            titrant["sample_ml"] = sample_ml
    volume = _volume(before)
    named = {name: volume.sub(after, definition[name]) for name in ("name", "vessel")}
    steps = [
        {name: volume.sub(after, each) if isinstance(each, str) else each for name, each in step.items()}
        for step in definition["steps"]
    ]
    return {**definition, **named, "steps": steps}


def _change(part: dict[str, Any], numbers: KitNumbers) -> None:
    key = part["key"]
    if key in numbers.per and "per" in part["numbers"]:
        _make_worth(part, numbers.per[key])
    for other in part.get("also", ()):
        other["times"] = numbers.also.get(key, {}).get(other["as"], other["times"])
    card = numbers.cards.get(key)
    if card and "steps" in part["numbers"] and list(card) != part["numbers"]["steps"]:
        part["numbers"]["steps"] = list(card)
        # The colours of a card are those of its own steps.
        part.pop("chips", None)


def _make_worth(part: dict[str, Any], per: float) -> None:
    was = part["numbers"]["per"]
    part["numbers"]["per"] = per
    if "precision_abs" in part["numbers"]:
        part["numbers"]["precision_abs"] *= per / was
