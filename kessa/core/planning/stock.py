"""Stock: how long a lot is good, what stands against using it, and how far what is left will reach."""

from __future__ import annotations

import math
from collections.abc import Iterable
from datetime import date, timedelta
from typing import NamedTuple

# What can stand against a lot, as flags of the result that rests on it.
EXPIRED, OPENED_TOO_LONG, DAMP, USED_UP, MISSING = (
    "lot-expired",
    "lot-opened-too-long",
    "lot-damp",
    "lot-used-up",
    "lot-missing",
)


class Lot(NamedTuple):
    """A lot as stock sees it. It does not age by opening where `keeps_opened_days` is None."""

    units_left: float
    expires_on: date | None = None
    opened_on: date | None = None
    keeps_opened_days: int | None = None
    damp: bool = False

    @property
    def good_until(self) -> date | None:
        """The last day it may be used: the printed expiry or the life after opening, whichever ends first."""
        ends = [end for end in (self.expires_on, self._life_ends) if end]
        return min(ends, default=None)

    @property
    def _life_ends(self) -> date | None:
        """The last day of its life after opening; None where it does not age by it, or was not opened."""
        if not self.opened_on or not self.keeps_opened_days:
            return None
        left = (date.max - self.opened_on).days
        return self.opened_on + timedelta(days=min(self.keeps_opened_days, left))

    def verified(self, day: date, standards: Iterable[date]) -> bool:
        """Whether a good standard was run with it since it was opened, or, past its life opened, since that ended."""
        opened = self.opened_on or date.min
        aged = self._life_ends or date.max
        return any(each >= (aged if day > aged else opened) for each in standards)

    def faults(self, day: date) -> tuple[str, ...]:
        """Return what stands against using it on a day, as flags."""
        aged = self.good_until is not None and day > self.good_until
        printed = self.expires_on is not None and day > self.expires_on
        return tuple(
            flag
            for flag, holds in (
                (EXPIRED, printed),
                (OPENED_TOO_LONG, aged and not printed),
                (DAMP, self.damp),
                (USED_UP, self.units_left <= 0),
            )
            if holds
        )


class Take(NamedTuple):
    """What to take from one lot: its index and units."""

    lot: int
    units: float


class Allotment(NamedTuple):
    """Which lots cover a need, and by how many units they fall short of it."""

    takes: tuple[Take, ...]
    short: float


def allot(need: float, lots: list[Lot], day: date) -> Allotment:
    """Cover a need of units (≥ 0) from the lots that may be used on a day.

    Opened lots go first, then those that end first, so that nothing is left to expire.
    """
    usable = [index for index, lot in enumerate(lots) if not lot.faults(day)]
    usable.sort(key=lambda index: (lots[index].opened_on is None, lots[index].good_until or date.max, index))
    takes, open_need = [], need
    for index in usable:
        units = min(open_need, lots[index].units_left)
        if units > 0:
            takes.append(Take(index, units))
            open_need -= units
    return Allotment(tuple(takes), max(open_need, 0.0))


def runs_left(units_left: float, units_a_run: float) -> int:
    """Return how many whole runs the units (≥ 0) are enough for; `units_a_run` > 0."""
    return math.floor(units_left / units_a_run + 1e-9)


def weeks_left(units_left: float, units_a_week: float) -> float | None:
    """Return for how many weeks the units (≥ 0) last at this use; None where nothing is planned to be used."""
    return units_left / units_a_week if units_a_week > 0 else None
