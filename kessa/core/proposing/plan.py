"""What is proposed, as it is put together: steps in order, what must be said, figures."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import Any

from kessa.core.errors import CannotCompute
from kessa.core.quantities.units import POUND_KG, UNITS

GALLON_L = UNITS["gal_us"].size
# Why something is asked for instead of proposed.
NO_VOLUME = "nobody knows how much the system holds"
NONE_LEFT = "none of it is left"
NOTHING_RAISES, NOTHING_LOWERS = "nothing on the shelf raises it", "nothing on the shelf lowers it"
# No system takes more of anything, L or kg.
_LARGEST = 1e9
# In US customary units: which unit stands in place of which, and how much of ours one of it is.
_CUSTOMARY = {
    "L": ("gal", GALLON_L), "L/h": ("gpm", 60 * GALLON_L), "L/min": ("gpm", GALLON_L), "kg": ("lb", POUND_KG),
    "kg/h": ("lb/h", POUND_KG),
}  # fmt: skip


@dataclass(frozen=True)
class Step:
    """Something to do: `do` is a code; an amount with its unit where there is one, of which product, about what.

    `needed` is how much it takes, where the label or the shelf allows less at once. `aim` is where it brings the level,
    `working` how the amount was worked out, in metric units. `also` are other parameters that ask for the same.
    """

    do: str
    product: str = ""
    amount: float | None = None
    unit: str = ""
    parameter: str = ""
    contact_h: float | None = None
    bleed: str = ""
    why: str = ""
    aim: float | None = None
    needed: float | None = None
    working: tuple[str, ...] = field(default=(), compare=False)
    also: tuple[str, ...] = field(default=(), compare=False)
    # What has to be said with it.
    codes: tuple[str, ...] = field(default=(), compare=False)

    def as_dict(self) -> dict[str, Any]:
        """Return what is said of it as plain data; what is all gone from the shelf is asked for."""
        if self.amount == 0 and self.needed:
            return replace(self, do="ask", amount=None, why=NONE_LEFT).as_dict()
        return {name: value for name, value in vars(self).items() if value not in ("", None, ()) and name != "codes"}


@dataclass
class Plan:
    """Steps in the order in which they are done, what has to be said, by codes, and figures by their names."""

    is_customary: bool = False
    steps: list[Step] = field(default_factory=list)
    says: dict[str, None] = field(default_factory=dict)
    figures: dict[str, float] = field(default_factory=dict)
    # The names of what was given and is not used.
    not_used: list[str] = field(default_factory=list)
    # Which part of what is in the water is left once what stands in it so far is done, and after what.
    left: float = 1.0
    left_after: str = ""
    # Said since the last step: the next one is what it is said with.
    _said: list[str] = field(default_factory=list)

    def step(self, do: str, product: str = "", amount: float | None = None, unit: str = "", **about: Any) -> None:
        """Add a step, its amount in the units of whoever asks; what is there already is not added again.

        Of several bleeds or drains the largest does for all. Raises CannotCompute on `system` for an amount that no
        system takes.
        """
        if amount is not None and not 0 <= amount <= _LARGEST:
            raise CannotCompute("It comes out at an amount that cannot be: look at the facts and the label.", "system")
        if self.is_customary and amount is not None and unit in _CUSTOMARY:
            unit, one = _CUSTOMARY[unit]
            amount /= one
            about |= {"working": ()}
            if about.get("needed") is not None:
                about["needed"] /= one
        step = Step(do, product, amount, unit, codes=tuple(self._said), **about)
        self._said.clear()
        alike = next((n for n, each in enumerate(self.steps) if _does_for(step, each)), None)
        if alike is not None:
            self.steps[alike] = _both(self.steps[alike], step)
        elif step not in self.steps:
            self.steps.append(step)

    def takes_along(self, litres: float, volume_l: float, *, at_once: bool = False) -> None:
        """Note that so much water goes, so that what is dosed after it finds less of what was there.

        Made up all the while, e^(-litres/volume) of it is left; drained `at_once`, 1 - litres/volume.
        """
        left = max(1 - litres / volume_l, 0.0) if at_once else math.exp(-litres / volume_l)
        if left < self.left:
            self.left = left
            self.left_after = f", after the {'drain' if at_once else 'bleed'}, which takes some along"

    def say(self, *codes: str) -> None:
        """Note what has to be said."""
        self.says |= dict.fromkeys(codes)
        self._said += codes

    def figure(self, name: str, value: float) -> None:
        """Note a figure."""
        self.figures[name] = value

    def has(self, do: str) -> bool:
        """Whether there is a step of this kind."""
        return any(each.do == do for each in self.steps)


def _does_for(new: Step, there: Step) -> bool:
    """Whether one of two steps does for both: water that goes takes everything along that is too much in it."""
    alike = (new.do, new.unit, new.why) == (there.do, there.unit, there.why)
    return alike and new.do in ("bleed", "drain") and new.amount is not None and there.amount is not None


def _both(one: Step, other: Step) -> Step:
    larger, smaller = (one, other) if (one.amount or 0) >= (other.amount or 0) else (other, one)
    also = dict.fromkeys((*larger.also, smaller.parameter, *smaller.also))
    return replace(
        larger,
        also=tuple(each for each in also if each and each != larger.parameter),
        codes=tuple(dict.fromkeys((*larger.codes, *smaller.codes))),
    )
