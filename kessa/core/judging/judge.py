"""Holding a result against a limit."""

from __future__ import annotations

from statistics import NormalDist
from typing import NamedTuple

from kessa.core.errors import CannotCompute, finite
from kessa.core.quantities.spread import SIGMAS

INSIDE, CLOSE, NOT_SETTLED, OUTSIDE = "inside", "close", "not settled", "outside"
# From the mildest to the gravest: with several limits the gravest is the result's.
VERDICTS = (INSIDE, CLOSE, NOT_SETTLED, OUTSIDE)
SIMPLE, GUARDED = RULES = ("simple", "guarded")
CENSORS = ("<", ">")
EQUAL = 1e-9
NEAR = 0.1


class Bounds(NamedTuple):
    """What is allowed: at least `min` and at most `max`, either may be None. A limit value itself is inside."""

    min: float | None = None
    max: float | None = None


class Interval(NamedTuple):
    """A result as judge sees it: `censor` None, "<" or ">"; `high` None has no upper end."""

    value: float
    low: float
    high: float | None
    censor: str | None


def judge(result: Interval, limit: Bounds, rule: str = "simple", near: float = NEAR) -> tuple[str, float]:
    """Return (verdict, margin) of a result against a limit, both in one unit and form.

    "simple" lets the value alone decide, "guarded" the whole interval. Inside becomes close where the value is within
    `near` (0 to 1) of a limit: a fraction of the limit, or of max − min where both are given. `margin` is the smallest
    signed distance from the value to a limit, positive inside. Raises CannotCompute on `limit`. Guarded acceptance is
    that of JCGM 106:2012, with the interval as guard band.

    >>> judge(Interval(125, 118, 125, None), Bounds(max=120), "guarded")
    ('not settled', -5)
    """
    if limit.min is None and limit.max is None:
        raise CannotCompute("A limit needs a min or a max.", "limit")
    if limit.min is not None and limit.max is not None and limit.min > limit.max:
        raise CannotCompute("The limit's min is above its max.", "limit")
    width = None if limit.min is None or limit.max is None else limit.max - limit.min
    verdicts, margins = [], []
    if limit.max is not None:
        margins.append(limit.max - result.value)
        verdict = _against_max(result, limit.max, rule)
        verdicts.append(_or_close(verdict, margins[-1], limit.max, width, near, certain=result.censor == "<"))
    if limit.min is not None:
        margins.append(result.value - limit.min)
        verdict = _against_min(result, limit.min, rule)
        verdicts.append(_or_close(verdict, margins[-1], limit.min, width, near, certain=result.censor == ">"))
    return gravest(verdicts), finite(min(margins), "value")


def chance_beyond(result: Interval, limit: Bounds) -> float | None:
    """Return how likely (0 to 1) the true value lies on the other side of a limit than the value does.

    The interval is taken as one of 95 % of a normal distribution, to each side by itself (JCGM 106:2012, 7.2). None of
    what is censored or has no width.
    """
    if result.censor or result.high is None or not result.low < result.high:
        return None
    least, most = limit
    inside = (least is None or at_most(least, result.value)) and (most is None or at_most(result.value, most))
    below = 0.0 if least is None else _lies_below(result, least)
    above = 0.0 if most is None else 1.0 - _lies_below(result, most)
    beyond = min(below + above, 1.0)
    return beyond if inside else 1.0 - beyond


def _lies_below(result: Interval, bound: float) -> float:
    """Return how likely the true value of an uncensored result lies below a bound."""
    assert result.high is not None
    side = result.value - result.low if bound < result.value else result.high - result.value
    if side <= 0:
        return float(result.value < bound)
    return NormalDist().cdf((bound - result.value) / (side / SIGMAS))


def gravity(verdict: str) -> int:
    """Return how grave a verdict is, from 1 for inside to 4 for outside; 0 for "" and any word that is none."""
    return VERDICTS.index(verdict) + 1 if verdict in VERDICTS else 0


def gravest(verdicts: list[str]) -> str:
    """Return the gravest of the verdicts: outside, then not settled, then close, then inside."""
    return max(verdicts, key=VERDICTS.index)


def at_most(a: float, b: float) -> bool:
    """Whether a ≤ b, forgiving the last digits of arithmetic: 3 × 0.1 is not above 0.3."""
    return a <= b + EQUAL * max(abs(a), abs(b))


def _against_max(result: Interval, bound: float, rule: str) -> str:
    if result.censor == ">":
        lowest = result.low if rule == "guarded" else result.value
        return OUTSIDE if at_most(bound, lowest) else NOT_SETTLED
    if rule == "guarded":
        if result.high is not None and at_most(result.high, bound):
            return INSIDE
        return NOT_SETTLED if at_most(result.low, bound) else OUTSIDE
    if at_most(result.value, bound):
        return INSIDE
    return NOT_SETTLED if result.censor == "<" else OUTSIDE


def _against_min(result: Interval, bound: float, rule: str) -> str:
    if rule == "guarded":
        if at_most(bound, result.low):
            return INSIDE
        no_upper_end = result.high is None or result.censor == ">"
        return NOT_SETTLED if no_upper_end or at_most(bound, result.high or 0.0) else OUTSIDE
    if at_most(bound, result.value):
        return NOT_SETTLED if result.censor == "<" else INSIDE
    return NOT_SETTLED if result.censor == ">" else OUTSIDE


def _or_close(verdict: str, margin: float, bound: float, width: float | None, near: float, *, certain: bool) -> str:
    """Turn inside into close within `near` of the limit, unless a censored result is `certain` on this side."""
    band = near * (abs(bound) if width is None else width)
    return CLOSE if verdict == INSIDE and not certain and at_most(margin, band) else verdict
