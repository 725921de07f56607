"""How much steam a boiler makes, by what is written down of it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from kessa.core.quantities.tables import between_lines

# Heat of dry steam, kJ/kg by bar above the air: steam tables (IAPWS-IF97).
_STEAM = (
    (0.0, 2676.0), (1.0, 2706.0), (2.0, 2725.0), (4.0, 2748.0), (6.0, 2763.0), (9.0, 2777.0), (14.0, 2791.0),
    (19.0, 2798.0), (29.0, 2803.0), (39.0, 2801.0), (59.0, 2785.0), (79.0, 2758.0), (99.0, 2725.0),
)  # fmt: skip
_WATER_KJ = 4.19
# What burning gives, without the heat of the vapour in the flue gas: natural gas kJ/m³, heating oil kJ/kg.
_GAS_KJ, _OIL_KJ = 36_000.0, 42_600.0


def steam_of(facts: Mapping[str, Any]) -> float | None:
    """Return how much steam goes out, kg/h: as written down, else by feed and blowdown, else by what is burnt.

    By fuel: heat × efficiency over what a kilogram of steam at its pressure takes up from its feed water. None where
    none of the three can be told; facts that are no numbers above 0 count as not written down.

    >>> steam_of({"feed_kg_h": 2100, "blowdown_kg_h": 100})
    2000
    >>> round(steam_of({"gas_m3_h": 100, "efficiency_percent": 90, "pressure_bar": 9, "feed_temperature_c": 80}))
    1327
    """
    known = {name: each for name, each in facts.items() if isinstance(each, int | float) and not isinstance(each, bool)}
    known = {name: each for name, each in known.items() if 0 < each < float("inf")}
    if "steam_kg_h" in known:
        return known["steam_kg_h"]
    if "feed_kg_h" in known:
        steam = known["feed_kg_h"] - known.get("blowdown_kg_h", 0.0)
        return steam if steam > 0 else None
    burnt = known.get("gas_m3_h", 0.0) * _GAS_KJ + known.get("oil_kg_h", 0.0) * _OIL_KJ
    if not burnt or not {"efficiency_percent", "pressure_bar", "feed_temperature_c"} <= known.keys():
        return None
    takes = between_lines(_STEAM, known["pressure_bar"]) - _WATER_KJ * known["feed_temperature_c"]
    return burnt * known["efficiency_percent"] / 100 / takes if takes > 0 else None
