"""Supplies: what methods use up, and the gear that comes along, in the order one packs."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Literal

from pydantic import Field

from kessa.core.checked import Checked
from kessa.core.datafile import data_file, read_toml


class Supply(Checked):
    """Something that is packed. What has lots is bought, expires and is used up, counted in `unit`; gear is not.

    Of gear that is `held`, a test has it to itself from its first step to its last.
    """

    key: str
    name: str
    kind: Literal["reagent", "strip", "ampoule", "sensor", "water", "gear"]
    unit: str = ""
    keeps_opened_days: Annotated[int, Field(gt=0)] | None = None
    storage: str = ""
    spoilt_by: Literal["", "damp", "light"] = ""
    held: bool = False

    @property
    def has_lots(self) -> bool:
        """Whether it comes in lots with a number and an expiry."""
        return self.kind != "gear"


def supply_name(key: str) -> str:
    """Return the name of a supply by its key; a key that is not known stands for itself."""
    return supplies()[key].name if key in supplies() else key


def unit_word(units: float, unit: str) -> str:
    """Write the unit that goes with a number of units: "strip" with 1, "strips" with 2, "mL" with any."""
    return unit if unit in ("mL", "") or units == 1 else f"{unit}s"


class _Supplies(Checked):
    supplies: tuple[Supply, ...]


@data_file
def supplies() -> dict[str, Supply]:
    """Return every supply by key, in packing order; raises BadDataFile on a faulty file."""
    return {supply.key: supply for supply in read_toml(Path(__file__).with_suffix(".toml"), _Supplies).supplies}
