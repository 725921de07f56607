"""A conductivity meter: `COND 512 uS/cm 18.4 C`."""

from __future__ import annotations

from kessa.core.adapters.adapter import Adapter, InstrumentReading, not_understood, number


class ConductivityMeter(Adapter):
    """One line a second while it is held in the water."""

    key = "conductivity"
    measures = "conductivity"

    @classmethod
    def read(cls, line: str) -> InstrumentReading | None:
        """Return what a line says."""
        match line.split():
            case ["COND", shows, unit, warm, "C"]:
                return InstrumentReading(number(shows, line), unit, number(warm, line))
            case ["COND", "OVER", unit]:
                return InstrumentReading(None, unit, over=True)
            case ["READY"]:
                return None
        raise not_understood(line)
