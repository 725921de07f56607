"""How an instrument's words become readings."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterable
from datetime import datetime
from typing import ClassVar, NamedTuple

from kessa.core.errors import CannotCompute
from kessa.core.quantities.units import can_be, sign


class InstrumentReading(NamedTuple):
    """What an instrument showed: a number in a unit, or that it was over its range; `at` where it says when.

    `what` is what it says it measured, as it calls it; `temperature_c` the water's where it tells it.
    """

    display: float | None
    unit: str
    temperature_c: float | None = None
    over: bool = False
    at: datetime | None = None
    what: str = ""


class Adapter(ABC):
    """Reads what one kind of instrument says. For another, write a subclass with these three in a module beside this.

    `key` is by what it is named, `measures` what instruments of the kind measure (see
    kessa.record.instruments.measured), `read` turns one line into what was shown.
    """

    key: ClassVar[str]
    measures: ClassVar[str]

    @classmethod
    @abstractmethod
    def read(cls, line: str) -> InstrumentReading | None:
        """Return what a line says; None for one that shows nothing, such as a heading.

        Raises CannotCompute on `line` where it says something that is not understood.
        """

    @classmethod
    def read_checked(cls, line: str) -> InstrumentReading | None:
        """Return what `read` does; raises CannotCompute on `line` for a number that cannot be in its unit, too."""
        shown = cls.read(line.strip())
        if shown and shown.display is not None:
            low, high = can_be(shown.unit)
            if not low <= shown.display <= high:
                raise CannotCompute(f"“{line.strip()[:60]}”: {shown.display:g} {sign(shown.unit)} cannot be.", "line")
        return shown

    @classmethod
    def read_all(cls, lines: Iterable[str]) -> list[InstrumentReading]:
        """Return what a memory file says, in its order; raises CannotCompute with the number of the line at fault."""
        found = []
        for number, line in enumerate(lines, 1):
            if not line.strip():
                continue
            try:
                shown = cls.read_checked(line)
            except CannotCompute as fault:
                raise CannotCompute(f"Line {number}: {fault.message}", "line") from None
            if shown:
                found.append(shown)
        return found


def not_understood(line: str) -> CannotCompute:
    """Return the error for a line that is not understood."""
    return CannotCompute(f"“{line[:60]}” is not understood.", "line")


def number(text: str, line: str) -> float:
    """Return a number of a line; raises CannotCompute on `line`."""
    try:
        found = float(text)
    except ValueError:
        raise not_understood(line) from None
    if not abs(found) < 1e9:
        raise not_understood(line)
    return found


def moment(text: str, line: str) -> datetime:
    """Return a moment as ISO 8601 writes it; raises CannotCompute on `line`."""
    try:
        return datetime.fromisoformat(text)
    except ValueError:
        raise not_understood(line) from None
