"""A temperature logger's memory: `2024-05-03T09:00:00+00:00,12.25` after a heading."""

from __future__ import annotations

from kessa.core.adapters.adapter import Adapter, InstrumentReading, moment, not_understood, number


class TemperatureLogger(Adapter):
    """A table of its own: when, and how many °C."""

    key = "logger"
    measures = "water_temperature"

    @classmethod
    def read(cls, line: str) -> InstrumentReading | None:
        """Return what a line says."""
        fields = line.split(",")
        if fields[0] == "time":
            return None
        if len(fields) != 2:
            raise not_understood(line)
        return InstrumentReading(number(fields[1], line), "degC", at=moment(fields[0], line))
