"""A photometer: `NITRATE;2024-05-03T09:12:44+00:00;0.47;mg/L`, or `over` for the number."""

from __future__ import annotations

from kessa.core.adapters.adapter import Adapter, InstrumentReading, moment, not_understood, number


class Photometer(Adapter):
    """One line a reading, its fields parted by semicolons; a heading begins with #."""

    key = "photometer"
    measures = "photometer"

    @classmethod
    def read(cls, line: str) -> InstrumentReading | None:
        """Return what a line says."""
        if line.startswith("#"):
            return None
        fields = [field.strip() for field in line.split(";")]
        if len(fields) != 4:
            raise not_understood(line)
        what, at, shows, unit = fields
        over = shows == "over"
        return InstrumentReading(
            None if over else number(shows, line), unit, None, over, moment(at, line), what.lower()
        )
