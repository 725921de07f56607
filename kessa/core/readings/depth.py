"""A disc lowered until it vanishes and raised until it shows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from random import Random
from typing import Any, ClassVar, Literal

from kessa.core.checked import Checked, NotNegative, YesNo
from kessa.core.errors import finite
from kessa.core.quantities.quantity import plain
from kessa.core.quantities.units import UNITS, convert, sign
from kessa.core.readings.axis import Axis
from kessa.core.readings.kind import Determined, Kind, Span, to_step

# No water is so clear that a disc is seen further down.
_DEEPEST_M = 100.0
# In a team's own unit, which is no length that is known here.
_DEEPEST = 1e4


class LostAndSeen(Checked):
    """Where the disc was lost going down and seen coming up, and whether it was still seen on the bottom."""

    down: NotNegative
    up: NotNegative
    bottom_visible: YesNo = False


class Depth(Kind):
    """The mean of the depth at which a disc is lost and the depth at which it is seen again (Secchi's rule)."""

    kind: Literal["depth"] = "depth"

    Reading: ClassVar[type[Checked]] = LostAndSeen
    asked_as: ClassVar[str] = "A disc lowered until it is lost"
    rank: ClassVar[int] = 9
    drawings: ClassVar[tuple[str, ...]] = ("disc",)
    example: ClassVar[dict[str, str]] = {"down": "Lost at", "up": "Seen again at"}

    def read(self, reading: LostAndSeen) -> Determined:
        """Where the disc is seen on the bottom the water is clearer than the deeper of the two."""
        down, up = reading.down, reading.up
        if reading.bottom_visible:
            quantity = self.above(max(down, up))
            return Determined(quantity, None, (f"The disc is seen on the bottom: {self.written(quantity)}",))
        quantity = self.point(finite(down / 2 + up / 2, "down"), min(down, up), max(down, up))
        line = f"Lost at {plain(down)}, seen again at {plain(up)}: mean {self.written(quantity)}"
        return Determined(quantity, None, (line,))

    @property
    def spans(self) -> dict[str, Span]:
        """Both depths."""
        is_length = self.unit in UNITS and UNITS[self.unit].dimension == UNITS["m"].dimension
        deepest = convert(_DEEPEST_M, "m", None, self.unit, None) if is_length else _DEEPEST
        return {**super().spans, **dict.fromkeys(("down", "up"), Span("The depth", 0.0, deepest, self.unit))}

    def axes(self, shown_in: Sequence[str] = (), paths_mm: Sequence[float] = ()) -> tuple[Axis, ...]:
        """Return the middle of both depths; where the disc is seen on the bottom the deeper of the two."""
        both = ("down", "up")
        deepest = self.spans["down"].most
        return (
            Axis(
                lambda x: {"down": x, "up": x, "bottom_visible": True},
                most=deepest,
                when={"bottom_visible": True},
                highest=both,
            ),
            Axis(lambda x: {"down": x, "up": x}, most=deepest, weights=dict.fromkeys(both, 0.5), covers=both),
        )

    def said(self, reading: Mapping[str, Any], unit_of_count: str) -> str:
        """Say both depths."""
        bottom = ", seen on the bottom" if reading.get("bottom_visible") else ""
        return f"lost {plain(reading['down'])}, seen {plain(reading['up'])} {sign(self.unit)}{bottom}"

    def simulated(self, strength: float, chance: Random) -> dict[str, Any]:
        """Lower the disc and raise it."""
        lost, seen = strength + chance.uniform(0, 10), max(strength - chance.uniform(0, 10), 0.0)
        return {"down": to_step(5, lost), "up": to_step(5, seen)}
