"""A syringe or titrator whose scale reads the result."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from random import Random
from typing import Any, ClassVar, Literal

from pydantic import Field

from kessa.core.checked import Checked, NotNegative, Positive, Units
from kessa.core.errors import CannotCompute, finite
from kessa.core.quantities.quantity import plain
from kessa.core.readings.axis import Axis
from kessa.core.readings.kind import Determined, DrawnScale, Kind, to_step


class OnScale(Checked):
    """Where the scale stands, after so many whole scales used up."""

    scale: NotNegative
    fills: Units = 0.0


class Direct(Kind):
    """A scale that reads the result: value = (fills·full_scale + scale)·multiplier, as the scale is printed."""

    kind: Literal["direct"] = "direct"
    multiplier: Positive = Field(
        default=1.0, title="One unit of the scale is worth", description="in the unit of the result"
    )
    resolution: NotNegative = Field(default=0.0, title="Finest mark of the scale")
    full_scale: Positive | None = Field(
        default=None, title="The scale ends at", description="refills count whole scales"
    )

    Reading: ClassVar[type[Checked]] = OnScale
    asked_as: ClassVar[str] = "A syringe or other scale that reads the result"
    rank: ClassVar[int] = 5
    drawings: ClassVar[tuple[str, ...]] = ("syringe", "refractometer")
    to_start: ClassVar[dict[str, Any]] = {"multiplier": 1.0, "resolution": 0.02, "full_scale": 1.0}
    example: ClassVar[dict[str, str]] = {"scale": "Read on the scale", "fills": "Whole scales used before"}

    @property
    def reach(self) -> float | None:
        """One whole scale."""
        return None if self.full_scale is None else self.full_scale * self.multiplier

    def read(self, reading: OnScale) -> Determined:
        """Half the resolution to either side."""
        if self.full_scale is not None and reading.scale > self.full_scale:
            raise CannotCompute(f"The scale ends at {plain(self.full_scale)}.", "scale")
        if reading.fills and self.full_scale is None:
            raise CannotCompute("Refills count only where the method names the full scale.", "full_scale")
        value = finite((reading.fills * (self.full_scale or 0.0) + reading.scale) * self.multiplier, "scale")
        half = finite(self.resolution / 2 * self.multiplier, "resolution")
        quantity = self.point(value, max(value - half, 0.0), finite(value + half, "scale"))
        refilled = f"{plain(reading.fills)} × {plain(self.full_scale or 0.0)} + " if reading.fills else ""
        line = f"({refilled}{plain(reading.scale)}) × {plain(self.multiplier)} = {self.written(quantity)}"
        return Determined(quantity, None, (line,))

    def axes(self, shown_in: Sequence[str] = (), paths_mm: Sequence[float] = ()) -> tuple[Axis, ...]:
        """Return the scale as it goes on from fill to fill."""
        full = self.full_scale
        if full is None:
            return (Axis(lambda x: {"scale": x}, most=1e6, weights={"scale": 1.0}),)

        def reading(x: float) -> dict[str, Any]:
            fills = math.floor(x / full)
            return {"fills": fills, "scale": min(max(x - fills * full, 0.0), full)}

        return (Axis(reading, most=51 * full, weights={"fills": full, "scale": 1.0}, usual={"fills": 0.0}),)

    def drawn_scales(self, drawn_as: str) -> tuple[DrawnScale, ...]:
        """Return the syringe's or the eyepiece's scale."""
        upright = drawn_as == "refractometer"
        words = "Edge of the shadow" if upright else "Ring of the plunger"
        unit = self.unit if upright else "on the scale"
        return (DrawnScale("scale", words, unit, 0.0, self.full_scale or 1.0, self.resolution or 0.01, upright),)

    def said(self, reading: Mapping[str, Any], unit_of_count: str) -> str:
        """Say where the scale stood."""
        fills = f"{plain(reading['fills'])} full + " if reading.get("fills") else ""
        return f"{fills}{plain(reading['scale'])} on the scale"

    def simulated(self, strength: float, chance: Random) -> dict[str, Any]:
        """Read the scale, and count the fills before."""
        read = to_step(self.resolution or 0.01, strength * chance.gauss(1.0, 0.015) / self.multiplier)
        fills = int(read // self.full_scale) if self.full_scale else 0
        return {"scale": round(read - fills * (self.full_scale or 0.0), 6), "fills": fills or None}
