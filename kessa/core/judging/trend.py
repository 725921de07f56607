"""Whether a series rises or falls, and by how much: the (seasonal) Mann–Kendall test and the Theil–Sen slope."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from functools import cache
from statistics import NormalDist
from typing import Any, NamedTuple

import numpy as np

from kessa.core.errors import CannotCompute

LEAST_POINTS, MOST_POINTS = 4, 10_000
# Of fewer points all slopes are put in order; of more those near the wanted ranks, which a sample tells.
_FEW, _SAMPLE, _MARGIN = 400, 60_000, 0.007
_BLOCK = 64
# By how much of a value sums of floats may be off, and more.
_ROUNDING = 1e-9
_CHANCE = 20240229


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


class _Points(NamedTuple):
    """Points of one season in order of time; one under a bound lies between `low` and `high`, and counts `taken`."""

    when: Any
    low: Any
    high: Any
    taken: Any


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
        _points(when[of], bound[of], censored[of])
        for of in (order[labels[order] == label] for label in range(labels.max() + 1))
    ]
    pairs = sum(_pairs(part) for part in parts)
    if not pairs:
        raise CannotCompute("No two points can be compared: they are all of one time.", "t")
    tests = [_test(part) for part in parts]
    s, var_s = sum(each[0] for each in tests), sum(each[1] for each in tests)
    z = (s - math.copysign(1, s)) / math.sqrt(var_s) if s and var_s else 0.0
    reach = NormalDist().inv_cdf((1 + confidence) / 2) * math.sqrt(var_s)
    wanted = ((pairs + 1) / 2, (pairs - reach) / 2, (pairs + reach) / 2 + 1)
    slope, low, high = _at_ranks(parts, pairs, wanted)
    p = math.erfc(abs(z) / math.sqrt(2))
    return Trend(len(y), s, var_s, z, p, s / pairs, 0.0 if slope is None else slope, low, high)


def _points(when: Any, bound: Any, censored: Any) -> _Points:
    # What lies under its bound ties with all that it cannot be told from: from the bound up it can.
    if not censored.any():
        return _Points(when, bound, bound, bound)
    low = np.where(censored, -np.inf, bound)
    high = np.where(censored, np.nextafter(bound, -np.inf), bound)
    return _Points(when, low, high, np.where(censored, bound / 2, bound))


def _later(part: _Points) -> Any:
    """Return for each point the first of a later time: points of one time are not compared."""
    return np.searchsorted(part.when, part.when, side="right")


def _pairs(part: _Points) -> int:
    return int((len(part.when) - _later(part)).sum())


# ---- the test --------------------------------------------------------------------------------------------------------


def _test(part: _Points) -> tuple[int, float]:
    """Return S and its variance: rises less falls, and (Σ r² + m)/3."""
    n = len(part.when)
    rises, falls = _inversions(part.low, part.high)
    over = np.searchsorted(np.sort(part.high), part.low, side="left")
    under = n - np.searchsorted(np.sort(part.low), part.high, side="right")
    signs = over - under
    # Points of one time stand beside one another: they were compared, too.
    for apart in range(1, int((_later(part) - np.arange(n)).max())):
        alike = part.when[apart:] == part.when[:-apart]
        up, down = alike & (part.low[apart:] > part.high[:-apart]), alike & (part.high[apart:] < part.low[:-apart])
        rises, falls = rises - int(np.count_nonzero(up)), falls - int(np.count_nonzero(down))
        gain = up.view(np.int8) - down.view(np.int8)
        signs[apart:] -= gain
        signs[:-apart] += gain
    return rises - falls, (int((signs * signs).sum()) + rises + falls) / 3


def _inversions(low: Any, high: Any) -> tuple[int, int]:
    """Count the pairs in which the later lies over the earlier, and under it: block by block against all before."""
    highs, lows = high[:0], low[:0]
    over = under = 0
    for at in range(0, len(low), _BLOCK):
        low_, high_ = low[at : at + _BLOCK], high[at : at + _BLOCK]
        over += int(np.searchsorted(highs, low_, side="left").sum())
        under += int((len(lows) - np.searchsorted(lows, high_, side="right")).sum())
        within = _before(len(low_))
        over += int(np.count_nonzero((low_[None, :] > high_[:, None]) & within))
        under += int(np.count_nonzero((high_[None, :] < low_[:, None]) & within))
        highs = np.sort(np.concatenate((highs, high_)), kind="stable")
        lows = highs if low is high else np.sort(np.concatenate((lows, low_)), kind="stable")
    return over, under


# ---- the slope -------------------------------------------------------------------------------------------------------


def _at_ranks(parts: Sequence[_Points], pairs: int, ranks: Sequence[float]) -> list[float | None]:
    """Return the slopes at these ranks, from 1 up, between two in proportion; None beyond the first and the last."""
    found = None if sum(len(part.when) for part in parts) <= _FEW else _near_ranks(parts, pairs, ranks)
    below, near = found or (0, np.sort(np.concatenate([_all_slopes(each) for each in parts])))
    if not np.isfinite(near).all():
        raise CannotCompute("These values are too far apart, or too close in time, to compute a slope.", "y")

    def at(rank: float) -> float | None:
        if not 1 <= rank <= pairs:
            return None
        first = math.floor(rank)
        least = float(near[first - 1 - below])
        return least if first == rank else least + (rank - first) * (float(near[first - below]) - least)

    return [at(rank) for rank in ranks]


def _all_slopes(part: _Points) -> Any:
    slopes = np.empty(_pairs(part))
    at, n = 0, len(part.when)
    with np.errstate(over="ignore", divide="ignore", invalid="ignore"):
        for i, first in enumerate(_later(part)):
            of = slopes[at : at + n - first]
            np.subtract(part.taken[first:], part.taken[i], out=of)
            of /= part.when[first:] - part.when[i]
            at += n - first
    return slopes


def _near_ranks(parts: Sequence[_Points], pairs: int, ranks: Sequence[float]) -> tuple[int, Any] | None:
    """Return how many slopes lie under a stretch that holds the ranks, and those in it in order; None where that fails.

    The line from one point to a later one is steeper than m just where the later lies higher once m·t is taken off
    both: so slopes are counted, and told apart, by two orders of the points (Matoušek 1991, with the sample's stretch).
    """
    chance = np.random.default_rng(_CHANCE)
    sample = np.sort(np.concatenate([_some_slopes(each, _SAMPLE * _pairs(each) // pairs, chance) for each in parts]))
    from_ = int((min(ranks) / pairs - _MARGIN) * len(sample))
    to = int((max(ranks) / pairs + _MARGIN) * len(sample))
    if from_ < 0 or to >= len(sample) or not np.isfinite(sample[[from_, to]]).all():
        return None
    least, most, level = sample[from_], sample[to], _half_a_step(parts)
    if level and least < level and most > -level:
        # Whole drops lie level again and again: such pairs are counted, not looked at.
        below, falling = _within(parts, min(least, -level), -level)
        rising = _within(parts, level, most)[1] if most > level else falling[:0]
        near = np.concatenate([falling, np.zeros(sum(_level_pairs(each) for each in parts)), rising])
    else:
        below, near = _within(parts, least, most)
    holds = below < math.floor(max(min(ranks), 1)) and below + len(near) >= math.ceil(min(max(ranks), pairs))
    # Rounding may tell a few pairs apart the wrong way round: then all slopes are looked at.
    return (below, near) if holds and not np.isnan(near).any() else None


def _within(parts: Sequence[_Points], least: float, most: float) -> tuple[int, Any]:
    """Return of all seasons how many slopes lie under a least, and those up to a most, in order."""
    found = [_between(each, least, most) for each in parts]
    return sum(each[0] for each in found), np.sort(np.concatenate([each[1] for each in found]))


def _half_a_step(parts: Sequence[_Points]) -> float:
    """Return half of the least slope that two values may have that are not alike; 0 where rounding might hide it."""
    values, times = (np.unique(np.concatenate(each)) for each in zip(*((p.taken, p.when) for p in parts), strict=True))
    if len(values) == 1:
        return 1.0
    half = np.diff(values).min() / (times[-1] - times[0]) / 2
    return float(half) if half * np.diff(times).min() > _ROUNDING * np.abs(values).max() else 0.0


def _level_pairs(part: _Points) -> int:
    """Count the pairs of different times that were taken alike."""
    alike = Counter(part.taken.tolist())
    at_once = Counter(zip(part.when.tolist(), part.taken.tolist(), strict=True))
    return sum(math.comb(each, 2) for each in alike.values()) - sum(math.comb(each, 2) for each in at_once.values())


def _some_slopes(part: _Points, many: int, chance: Any) -> Any:
    one, other = chance.integers(0, len(part.when), (2, many))
    apart = part.when[one] != part.when[other]
    one, other = one[apart], other[apart]
    return (part.taken[other] - part.taken[one]) / (part.when[other] - part.when[one])


def _between(part: _Points, least: float, most: float) -> tuple[int, Any]:
    """Return how many slopes of a season lie under a least, and those up to a most; NaN stands for one told wrongly."""
    # Of one time the lower first: so none of those lies under an earlier one, whatever is taken off.
    order = np.lexsort((part.taken, part.when))
    t, y = part.when[order], part.taken[order]
    first, last = y - least * t, y - most * t
    _, below = _inversions(first, first)
    if least == most:
        return below, first[:0]
    by_first = np.argsort(first, kind="stable")
    p, q = _not_under(last[by_first])
    when, over = t[by_first], y[by_first]
    after = when[q] - when[p]
    apart = after != 0
    slopes = (over[q] - over[p])[apart] / after[apart]
    slopes[after[apart] < 0] = np.nan
    return below, slopes


def _not_under(values: Any) -> tuple[Any, Any]:
    """Return the pairs (earlier, later) of places at which the earlier value is not under the later."""
    kept, places = values[:0], np.arange(0, dtype=np.int32)
    earlier, counts, within = [], [], []
    for at in range(0, len(values), _BLOCK):
        block = values[at : at + _BLOCK]
        starts = np.searchsorted(kept, block, side="left")
        earlier += [places[start:] for start in starts.tolist()]
        counts.append(len(places) - starts)
        within.append(
            np.argwhere((block[:, None] >= block[None, :]) & _before(len(block))).astype(np.int32) + np.int32(at)
        )
        kept = np.concatenate([kept, block])
        order = np.argsort(kept, kind="stable")
        kept, places = kept[order], np.concatenate([places, np.arange(at, at + len(block), dtype=np.int32)])[order]
    inner = np.concatenate(within)
    later = np.repeat(np.arange(len(values), dtype=np.int32), np.concatenate(counts))
    return np.concatenate([*earlier, inner[:, 0]]), np.concatenate([later, inner[:, 1]])


@cache
def _before(n: int) -> Any:
    """Return which of n points lies before which."""
    return np.triu(np.ones((n, n), dtype=bool), 1)
