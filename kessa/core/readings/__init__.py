"""The kinds of reading: how what a person saw becomes a result with its interval. A kind a module."""

from __future__ import annotations

from typing import Any

from kessa.core.arguments import Arguments
from kessa.core.readings.chart import Chart
from kessa.core.readings.count import Count
from kessa.core.readings.depth import Depth
from kessa.core.readings.difference import Difference
from kessa.core.readings.direct import Direct
from kessa.core.readings.kind import Determined, Kind
from kessa.core.readings.meter import Meter
from kessa.core.readings.photometer import Photometer
from kessa.core.readings.scale import Scale
from kessa.core.readings.volume import Volume

KINDS: dict[str, type[Kind]] = {
    "count": Count,
    "volume": Volume,
    "direct": Direct,
    "difference": Difference,
    "scale": Scale,
    "chart": Chart,
    "photometer": Photometer,
    "meter": Meter,
    "depth": Depth,
}


def determine(method: Any, reading: Any, dilution: float = 1.0) -> Determined:
    """Turn one reading into a result.

    `method` and `reading` are mappings with the keys of the method's kind; `dilution` ≥ 1 multiplies the result.
    Raises CannotCompute on the innermost name at fault.
    """
    kind = Arguments(method, "method", method).text("kind", choices=KINDS)
    return KINDS[kind](method).determine(reading, dilution)


def answer_determine(arguments: Arguments) -> dict[str, Any]:
    """Answer the op `determine`."""
    dilution = arguments.number("dilution", 1.0, least=1.0)
    determined = determine(arguments.mapping("method"), arguments.mapping("reading"), dilution)
    return {**determined.quantity.as_dict(), "next": determined.next, "working": list(determined.working)}
