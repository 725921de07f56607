"""Whether a series rises or falls, and by how much: the (seasonal) Mann–Kendall test and the Theil–Sen slope."""

from __future__ import annotations

import math
from collections.abc import Sequence
from statistics import NormalDist
from typing import Any, NamedTuple

import numpy as np

from kessa.core.errors import CannotCompute

LEAST_POINTS, MOST_POINTS = 4, 10_000
# Of more slopes than this only those near the wanted ranks are put in order; a sample says where they lie.
_MANY, _SAMPLE, _MARGIN = 400_000, 40_000, 0.02


class Below(NamedTuple):
    """A point of which is known only that it lies under a value."""

    value: float


class Trend(NamedTuple):
    """The test and the slope, per unit of t; limits of the slope are None where there are too few pairs for them."""

    n: int
    s: int
    var_s: float
    z: float
    p: float
    tau: float
    slope: float
    slope_low: float | None
    slope_high: float | None


class _Compared(NamedTuple):
    s: int
    var_s: float
    slopes: Any


def trend(
    t: Sequence[float],
    y: Sequence[float | Below],
    season: Sequence[Any] | None = None,
    confidence: float = 0.95,
) -> Trend:
    """Return the trend of 4 or more points; `season` is a label a point: only points of one season are compared.

    Mann (1945), Kendall (1975), seasonal by Hirsch, Slack and Smith (1982), with corrections for ties and continuity;
    p is two-sided. The variance is (Σ r² + m)/3, r the sum of the signs of a point against the others, m the number
    of untied pairs: without censored points the usual one for ties. The slope is Sen's (1968), a censored point taken
    as half of its bound; its limits go by ranks (Gilbert 1987), interpolated linearly. Points at the same t are not
    compared. Raises CannotCompute on `y`, `t`, `season` or `confidence` (0 to below 1).

    >>> trend([1, 2, 3, 4], [1.0, 2.0, 3.0, 5.0]).slope
    1.1666666666666665
    """
    if not LEAST_POINTS <= len(y) <= MOST_POINTS or len(y) != len(t):
        raise CannotCompute(f"A trend needs {LEAST_POINTS} to {MOST_POINTS:,} points, each with its time.", "y")
    if season is not None and len(season) != len(t):
        raise CannotCompute("Each point needs its season.", "season")
    if not 0 <= confidence < 1:
        raise CannotCompute("confidence lies from 0 to below 1.", "confidence")
    when = np.asarray(t, dtype=float)
    bound = np.asarray([each.value if isinstance(each, Below) else each for each in y], dtype=float)
    censored = np.asarray([isinstance(each, Below) for each in y])
    labels = (
        np.zeros(len(t), dtype=int) if season is None else np.unique([str(s) for s in season], return_inverse=True)[1]
    )
    order = np.argsort(when, kind="stable")
    parts = [
        _compare(when[of], bound[of], censored[of])
        for of in (order[labels[order] == label] for label in range(labels.max() + 1))
    ]
    slopes = np.concatenate([part.slopes for part in parts])
    if not slopes.size:
        raise CannotCompute("No two points can be compared: they are all of one time.", "t")
    if not np.isfinite(slopes).all():
        raise CannotCompute("These values are too far apart, or too close in time, to compute a slope.", "y")
    s, var_s = sum(part.s for part in parts), sum(part.var_s for part in parts)
    z = (s - math.copysign(1, s)) / math.sqrt(var_s) if s and var_s else 0.0
    pairs = slopes.size
    reach = NormalDist().inv_cdf((1 + confidence) / 2) * math.sqrt(var_s)
    ranks = ((pairs + 1) / 2, (pairs - reach) / 2, (pairs + reach) / 2 + 1)
    slope, low, high = _at_ranks(slopes, ranks)
    p = math.erfc(abs(z) / math.sqrt(2))
    return Trend(len(y), s, var_s, z, p, s / pairs, 0.0 if slope is None else slope, low, high)


def _compare(when: Any, bound: Any, censored: Any) -> _Compared:
    """Compare the points of one season, in order of time, each with those of a later time."""
    # What lies under its bound ties with all that it cannot be told from: from the bound up it can.
    low = np.where(censored, -np.inf, bound)
    high = np.where(censored, np.nextafter(bound, -np.inf), bound)
    taken = np.where(censored, bound / 2, bound)
    later = np.searchsorted(when, when, side="right")
    n = len(when)
    slopes = np.empty(int((n - later).sum()))
    signs = np.zeros(n, dtype=int)
    at = untied = s = 0
    with np.errstate(over="ignore", divide="ignore", invalid="ignore"):
        for i, first in enumerate(later):
            if first == n:
                break
            rises, falls = low[first:] > high[i], high[first:] < low[i]
            up, down = int(np.count_nonzero(rises)), int(np.count_nonzero(falls))
            signs[first:] += rises.view(np.int8) - falls.view(np.int8)
            signs[i] -= up - down
            s += up - down
            untied += up + down
            of = slopes[at : at + n - first]
            np.subtract(taken[first:], taken[i], out=of)
            of /= when[first:] - when[i]
            at += n - first
    return _Compared(s, (int((signs * signs).sum()) + untied) / 3, slopes)


def _at_ranks(slopes: Any, ranks: Sequence[float]) -> list[float | None]:
    """Return the slopes at these ranks, from 1 up, between two in proportion; None beyond the first and the last."""
    below, near = 0, slopes
    if slopes.size > _MANY:
        below, near = _around(slopes, min(ranks), max(ranks))
    near = np.sort(near)

    def at(rank: float) -> float | None:
        if not 1 <= rank <= slopes.size:
            return None
        first = math.floor(rank)
        least = float(near[first - 1 - below])
        return least if first == rank else least + (rank - first) * (float(near[first - below]) - least)

    return [at(rank) for rank in ranks]


def _around(slopes: Any, first: float, last: float) -> tuple[int, Any]:
    """Return how many slopes lie below a stretch that holds these ranks, and those in it."""
    sample = np.sort(slopes[:: slopes.size // _SAMPLE])
    share = sample.size / slopes.size
    from_, to = int((first * share) - _MARGIN * sample.size), int((last * share) + _MARGIN * sample.size) + 1
    least = sample[from_] if from_ > 0 else -np.inf
    most = sample[to] if to < sample.size else np.inf
    near = slopes[(slopes >= least) & (slopes <= most)]
    below = int(np.count_nonzero(slopes < least))
    # Where the sample misled, all are put in order.
    holds = below < math.floor(max(first, 1)) and below + near.size >= math.ceil(min(last, slopes.size))
    return (below, near) if holds else (0, slopes)
