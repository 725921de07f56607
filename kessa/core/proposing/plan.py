"""What is proposed, as it is put together: steps in order, what must be said, figures."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from kessa.core.errors import CannotCompute

GALLON_L, POUND_KG = 3.785411784, 0.45359237
# No system takes more of anything, L or kg.
_LARGEST = 1e9
# In US customary units: which unit stands in place of which, and how much of ours one of it is.
_CUSTOMARY = {
    "L": ("gal", GALLON_L), "L/h": ("gpm", 60 * GALLON_L), "L/min": ("gpm", GALLON_L), "kg": ("lb", POUND_KG),
    "kg/h": ("lb/h", POUND_KG),
}  # fmt: skip


@dataclass(frozen=True)
class Step:
    """Something to do: `do` is a code; an amount with its unit where there is one, of which product, about what."""

    do: str
    product: str = ""
    amount: float | None = None
    unit: str = ""
    parameter: str = ""
    contact_h: float | None = None
    bleed: str = ""
    why: str = ""

    def as_dict(self) -> dict[str, Any]:
        """Return what is said of it as plain data."""
        return {name: value for name, value in vars(self).items() if value not in ("", None)}


@dataclass
class Plan:
    """Steps in the order in which they are done, what has to be said, by codes, and figures by their names."""

    is_customary: bool = False
    steps: list[Step] = field(default_factory=list)
    says: dict[str, None] = field(default_factory=dict)
    figures: dict[str, float] = field(default_factory=dict)
    # The names of what was given and is not used.
    not_used: list[str] = field(default_factory=list)

    def step(self, do: str, product: str = "", amount: float | None = None, unit: str = "", **about: Any) -> None:
        """Add a step, its amount in the units of whoever asks; what is there already is not added again.

        Raises CannotCompute on `system` for an amount that no system takes.
        """
        if amount is not None and not 0 <= amount <= _LARGEST:
            raise CannotCompute("It comes out at an amount that cannot be: look at the facts and the label.", "system")
        if self.is_customary and amount is not None and unit in _CUSTOMARY:
            unit, one = _CUSTOMARY[unit]
            amount /= one
        step = Step(do, product, amount, unit, **about)
        if step not in self.steps:
            self.steps.append(step)

    def say(self, *codes: str) -> None:
        """Note what has to be said."""
        self.says |= dict.fromkeys(codes)

    def figure(self, name: str, value: float) -> None:
        """Note a figure."""
        self.figures[name] = value

    def has(self, do: str) -> bool:
        """Whether there is a step of this kind."""
        return any(each.do == do for each in self.steps)
