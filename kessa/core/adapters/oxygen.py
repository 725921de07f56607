"""An oxygen probe: `DO,9.12,mg/L,96.4,%,17.9,degC`."""

from __future__ import annotations

from kessa.core.adapters.adapter import Adapter, InstrumentReading, not_understood, number


class OxygenProbe(Adapter):
    """One line every two seconds: oxygen, its share of saturation, and the water's temperature."""

    key = "oxygen"
    measures = "oxygen"

    @classmethod
    def read(cls, line: str) -> InstrumentReading | None:
        """Return what a line says."""
        fields = line.split(",")
        if len(fields) != 7 or fields[0] != "DO" or fields[2] != "mg/L":
            raise not_understood(line)
        number(fields[3], line)
        return InstrumentReading(number(fields[1], line), "mg/L", number(fields[5], line))
