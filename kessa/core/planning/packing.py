"""Packing: what planned tests will use, with their repeats, blanks, standards and a margin."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Mapping
from typing import Any, NamedTuple

from kessa.core.job.supplies import supplies
from kessa.core.methods.schema import Method

MARGIN = 0.1


class Planned(NamedTuple):
    """One test of one sample as it is planned: runs of the sample (≥ 1), blanks and standards (≥ 0)."""

    method: Method
    runs: int = 2
    blanks: int = 1
    standards: int = 0

    @property
    def most_runs(self) -> int:
        """Every run there may be: those planned, one repeat where the runs may disagree, blanks and standards."""
        most = self.method.agreement.most if self.method.agreement else 0
        repeat = 1 if 1 < self.runs < most else 0
        return self.runs + repeat + self.blanks + self.standards


def used_by(
    method: Method,
    runs: int,
    units: float | None = None,
    samples: int = 1,
    parts: int | None = None,
    answers: Mapping[str, Any] | None = None,
) -> dict[str, float]:
    """Return what so many runs use up, by supply, in the supply's unit.

    `units` are the drops or tablets of all of them, `parts` the parts read; by default what runs are reckoned with.
    Under these `answers`; without them whatever may be used.
    """
    units = method.units_a_run * runs if units is None else units
    times = {"run": runs, "unit": units, "sample": samples}
    times["part"] = len(method.parts) * runs if parts is None else parts
    used: dict[str, float] = defaultdict(float)
    for use in method.uses if answers is None else method.used_under(answers):
        used[use.supply] += use.amount * times[use.per]
    return {key: amount for key, amount in used.items() if amount > 0}


def needs(planned: list[Planned], margin: float = MARGIN) -> dict[str, float]:
    """Return how much of each supply to pack for the planned tests, in packing order, in the supply's unit.

    A run is reckoned with half of the drops or tablets at which its range ends. `margin` (0 to 1) is added and the
    sum rounded up to whole units. Gear that a test wants is 1.
    """
    sums: dict[str, float] = defaultdict(float)
    for test in planned:
        for key, amount in used_by(test.method, test.most_runs).items():
            sums[key] += amount
    packed = {key: float(math.ceil(amount * (1 + margin) - 1e-9)) for key, amount in sums.items()}
    packed |= {key: 1.0 for test in planned for key in test.method.gear}
    return {key: packed[key] for key in supplies() if key in packed}
