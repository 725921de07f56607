"""A calibration line of a photometer: least squares with what may be trusted of it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

from kessa.core.calibrating.outcome import Calibrated, Figure
from kessa.core.errors import CannotCompute
from kessa.core.quantities.students_t import probability_below, students_t

LEAST_POINTS = 4
# So far a standard may lie off the line, in percent of itself; so wide may the interval be within the range; of the
# highest standard, where the range begins at the latest.
_OFF, _WIDE, _BEGINS = 15.0, 25.0, 50.0
# A bend that chance makes less often than this is one.
_CHANCE = 0.01


class Line(NamedTuple):
    """absorbance = slope × concentration + intercept, with the halves of their 95 % intervals.

    `residual` is the standard deviation about the line, `curved` the probability that a curve of this strength is
    chance, `detects` and `range` in the standards' unit, `farthest` a standard's worst recovery in percent off.
    """

    slope: float
    intercept: float
    slope_half: float
    intercept_half: float
    residual: float
    curved: float
    detects: float
    range: tuple[float, float]
    farthest: float
    mean_x: float
    spread_x: float
    number: int

    def half_at(self, x: float) -> float:
        """Return the half of the 95 % interval of one reading brought back to a concentration (inverse prediction)."""
        t = students_t(self.number - 2)
        inner = 1 + 1 / self.number + (x - self.mean_x) ** 2 / self.spread_x
        return t * self.residual / abs(self.slope) * math.sqrt(inner)

    @property
    def is_curved(self) -> bool:
        """Whether the points bend more than chance would have them."""
        return self.curved < _CHANCE


def fit_line(points: Sequence[tuple[float, float]]) -> Line:
    """Fit a line to pairs of concentration and absorbance (Draper and Smith; limits by ICH Q2: 3.3 and 10 s/slope).

    Curvature is tested by what a squared term takes off the residuals. Raises CannotCompute on `points` where there
    are fewer than 4, of one or two concentrations, or the line does not rise.
    """
    if len(points) < LEAST_POINTS or len({x for x, _ in points}) < 3 or min(x for x, _ in points) < 0:
        raise CannotCompute("Give at least 4 standards, of 3 strengths or more.", "points")
    n = len(points)
    xs, ys = [x for x, _ in points], [y for _, y in points]
    mean_x, mean_y = sum(xs) / n, sum(ys) / n
    spread = sum((x - mean_x) ** 2 for x in xs)
    slope = sum((x - mean_x) * (y - mean_y) for x, y in points) / spread if spread else 0.0
    if not 0 < slope < math.inf:
        raise CannotCompute("The readings do not rise with the standards.", "points")
    intercept = mean_y - slope * mean_x
    squares = sum((y - intercept - slope * x) ** 2 for x, y in points)
    residual = math.sqrt(squares / (n - 2))
    t = students_t(n - 2)
    detects = 3.3 * residual / slope
    line = Line(
        slope,
        intercept,
        t * residual / math.sqrt(spread),
        t * residual * math.sqrt(1 / n + mean_x**2 / spread),
        residual,
        _curved(points, squares),
        detects,
        (0.0, 0.0),
        max((100 * abs((y - intercept) / slope - x) / x for x, y in points if x), default=0.0),
        mean_x,
        spread,
        n,
    )
    return line._replace(range=_range(line, max(xs)))


def _range(line: Line, most: float) -> tuple[float, float]:
    """From where a reading's interval is narrow enough, to the highest standard."""
    low = next(
        (most * k / 200 for k in range(1, 201) if line.half_at(most * k / 200) <= _WIDE / 100 * most * k / 200), most
    )
    return min(max(low, 10 / 3.3 * line.detects if line.detects else low), most), most


def _curved(points: Sequence[tuple[float, float]], squares: float) -> float:
    """Return how likely chance alone bends the points so: by the t of a squared term."""
    n = len(points)
    if n < LEAST_POINTS + 1:
        return 1.0
    # Orthogonal polynomials: the squared term without what a line takes of it.
    mean = sum(x for x, _ in points) / n
    first = [x - mean for x, _ in points]
    squared = [x * x for x in first]
    mean_squared = sum(squared) / n
    tilt = sum(s * f for s, f in zip(squared, first, strict=True)) / sum(f * f for f in first)
    bend = [s - mean_squared - tilt * f for s, f in zip(squared, first, strict=True)]
    length = sum(b * b for b in bend)
    if not length:
        return 1.0
    by = sum(b * y for b, (_, y) in zip(bend, points, strict=True))
    left = squares - by * by / length
    if left <= 1e-15 * max(squares, 1e-30):
        return 0.0 if squares > 1e-15 else 1.0
    return 2 * (1 - probability_below(abs(by) / math.sqrt(length * left / (n - 3)), n - 3))


def calibrated_by(line: Line) -> Calibrated:
    """Return what is held of a line before it is used."""
    words = [
        f"absorbance = {line.slope:.4g} (± {line.slope_half:.2g}) × concentration + "
        f"{line.intercept:.4g} (± {line.intercept_half:.2g})",
        f"good from {line.range[0]:.3g} to {line.range[1]:.3g}",
    ]
    if line.is_curved:
        words.append("the points bend: a line over less of the range is truer")
    off_zero = abs(line.intercept) - line.intercept_half
    if off_zero > 0:
        words.append("it does not go through nothing: is the blank one of the same reagents?")
    figures = (
        Figure("a standard lies off by at most", line.farthest, "%", None, _OFF),
        Figure("chance of so much bend", 100 * line.curved, "%", 100 * _CHANCE, None),
        Figure("of the highest standard, the range begins at", 100 * line.range[0] / line.range[1], "%", None, _BEGINS),
    )
    return Calibrated(figures, tuple(words))
