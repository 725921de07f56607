"""What a calibration came to."""

from __future__ import annotations

from typing import NamedTuple


class Figure(NamedTuple):
    """A number that a calibration gives, with the ends within which it should lie: `held` is whether it does."""

    name: str
    value: float
    unit: str
    low: float | None = None
    high: float | None = None

    @property
    def held(self) -> bool:
        """Whether it lies where it should; a number without ends always does."""
        return (self.low is None or self.value >= self.low) and (self.high is None or self.value <= self.high)

    @property
    def as_check(self) -> tuple[float, float]:
        """Return what was expected and the difference allowed, by which it passes as a check, or fails."""
        if self.low is not None and self.high is not None:
            return (self.low + self.high) / 2, (self.high - self.low) / 2
        if self.high is not None:
            return 0.0, self.high
        return (self.value if self.low is None else max(self.value, self.low)), 0.0


class Calibrated(NamedTuple):
    """The figures of a calibration, in order of weight; and words about it."""

    figures: tuple[Figure, ...]
    words: tuple[str, ...] = ()

    @property
    def passed(self) -> bool:
        """Whether every figure lies where it should."""
        return all(figure.held for figure in self.figures)

    @property
    def deciding(self) -> Figure:
        """The figure by which it is kept as a check: the first that is not held, else the first."""
        return next((figure for figure in self.figures if not figure.held), self.figures[0])
