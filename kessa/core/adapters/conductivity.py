"""A conductivity meter: `COND 512 uS/cm 18.4 C`."""

from __future__ import annotations

from kessa.core.adapters.adapter import Adapter, Shown, not_understood, number


class ConductivityMeter(Adapter):
    """One line a second while it is held in the water."""

    key = "conductivity"
    measures = "conductivity"

    @classmethod
    def read(cls, line: str) -> Shown | None:
        """Return what a line says."""
        match line.split():
            case ["COND", shows, unit, warm, "C"]:
                return Shown(number(shows, line), unit, number(warm, line))
            case ["COND", "OVER", unit]:
                return Shown(None, unit, over=True)
            case ["READY"]:
                return None
        raise not_understood(line)
