"""A pH meter: `pH=7.31 mV=-18.2 T=18.4`."""

from __future__ import annotations

import re

from kessa.core.adapters.adapter import Adapter, InstrumentReading, not_understood, number

_LINE = re.compile(r"pH=(\S+) mV=(\S+) T=(\S+)")


class PhMeter(Adapter):
    """One line when its key is pressed; its voltage is for calibrations."""

    key = "ph"
    measures = "ph"

    @classmethod
    def read(cls, line: str) -> InstrumentReading | None:
        """Return what a line says."""
        found = _LINE.fullmatch(line)
        if not found:
            raise not_understood(line)
        number(found[2], line)
        return InstrumentReading(number(found[1], line), "pH", number(found[3], line), what=f"{found[2]} mV")
