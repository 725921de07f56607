"""The same count on system water and on the supply that feeds it."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from random import Random
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field

from kessa.core.checked import Checked, Positive, Units, YesNo
from kessa.core.errors import CannotCompute, finite
from kessa.core.quantities.quantity import Quantity, plain
from kessa.core.readings.axis import Axis
from kessa.core.readings.kind import Determined, Kind, evenly


class BothCounts(Checked):
    """Units counted in the system's water and in the supply's, and whether each came to an end."""

    system: Units
    supply: Units
    system_end: YesNo = True
    supply_end: YesNo = True


class Difference(Kind):
    """What the system holds over its supply, in units counted; it may be negative.

    value = system − supply ± 1: each count may be off by the unit within which its end lies.
    """

    kind: Literal["difference"] = "difference"
    stop_at: Annotated[Positive, Field(le=1_000_000)] | None = Field(
        default=None, title="The range ends at so many", description="the most the kit counts"
    )

    Reading: ClassVar[type[Checked]] = BothCounts
    asked_as: ClassVar[str] = "The same drops on supply and on system water"
    rank: ClassVar[int] = 8
    drawings: ClassVar[tuple[str, ...]] = ("two vessels",)
    counted: ClassVar[bool] = True
    can_be_checked: ClassVar[bool] = False
    to_start: ClassVar[dict[str, Any]] = {"stop_at": 30}
    example: ClassVar[dict[str, str]] = {"system": "Counted in the system", "supply": "Counted in the supply"}

    @property
    def floor(self) -> float | None:
        """None: a system may hold less than its supply."""
        return None

    def read(self, reading: BothCounts) -> Determined:
        """Without an end in the system the difference is only a floor; without one in the supply it is none."""
        if not reading.supply_end:
            raise CannotCompute("The supply's count needs its end: dilute both waters alike.", "supply_end")
        value = finite(reading.system - reading.supply, "system")
        sum_ = f"{plain(reading.system)} in the system − {plain(reading.supply)} in the supply"
        if not reading.system_end:
            quantity = self.above(value)
            return Determined(quantity, "dilute", (f"No end in the system: {sum_}, so {self.written(quantity)}",))
        quantity = self.point(value, value - 1, value + 1)
        return Determined(quantity, None, (f"{sum_} = {self.written(quantity)}",))

    def likely(self, found: Quantity, dilution: float = 1.0) -> tuple[Quantity, str]:
        """Two ends, each even within its last unit, and the method's precision: by their squares (JCGM 100, 5.1)."""
        last, good_to = evenly(dilution), self.half_width(found.value, dilution)
        off = math.hypot(last, last, good_to)
        line = f"Where in its last unit each end lies, ± {plain(last)}, and that, by their squares: ± {plain(off)}"
        return self.within(found, found.value - off, found.value + off), line

    def axes(self, shown_in: Sequence[str] = (), paths_mm: Sequence[float] = ()) -> tuple[Axis, ...]:
        """Return what the system took over its supply, ended or not."""
        most = self.stop_at or 1000.0
        return tuple(
            Axis(
                lambda x, end=end: {"system": max(x, 0.0), "supply": max(-x, 0.0), "system_end": end},  # type: ignore[misc]
                least=-most,
                most=most,
                when={"system_end": end, "supply_end": True},
                weights={"system": 1.0, "supply": -1.0},
                usual={"supply_end": True},
                whole=True,
            )
            for end in (True, False)
        )

    def said(self, reading: Mapping[str, Any], unit_of_count: str) -> str:
        """Say both counts."""
        open_ended = "" if reading.get("system_end", True) else "+"
        return f"{plain(reading['system'])}{open_ended} − {plain(reading['supply'])} {unit_of_count}s"

    def simulated(self, strength: float, chance: Random) -> dict[str, Any]:
        """Count both waters."""
        supply = chance.randint(2, 4)
        return {"supply": supply, "system": max(1, supply + round(strength * chance.gauss(1.0, 0.03)))}
