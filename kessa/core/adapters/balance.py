"""A balance: `ST      1.0234 g` when it stands still, `US` while it does not."""

from __future__ import annotations

from kessa.core.adapters.adapter import Adapter, InstrumentReading, not_understood, number


class Balance(Adapter):
    """Only what stands still is a weight."""

    key = "balance"
    measures = "weight"

    @classmethod
    def read(cls, line: str) -> InstrumentReading | None:
        """Return what a line says."""
        match line.split():
            case ["ST", shows, "g"]:
                return InstrumentReading(number(shows, line), "g")
            case ["US", _, "g"]:
                return None
        raise not_understood(line)
