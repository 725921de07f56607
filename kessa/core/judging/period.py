"""What the results of a stretch of time come to: how many, the least, the mean, the most, percentiles."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

from kessa.core.errors import CannotCompute
from kessa.core.judging.statistics import enough_for, mean, percentile
from kessa.core.quantities.quantity import Quantity

PERCENTILES = (50, 90, 95)


class Period(NamedTuple):
    """The figures of one series over a stretch of time; `percentiles` holds those for which there were enough."""

    number: int
    # How many were under what the method can tell, and how many over.
    below: int
    over: int
    minimum: Quantity
    mean: Quantity
    maximum: Quantity
    percentiles: dict[int, Quantity]


def figures(quantities: Sequence[Quantity]) -> Period:
    """Return the figures of results in one unit and form.

    Of what is under a bound ("<") half of it goes into the mean, as statistics.mean has it; the least and the most
    stand as they were read, and of two alike the one that says more. A percentile is given from so many results on
    that at least half a result lies beyond it. Raises CannotCompute without results, or where units differ.
    """
    if not quantities:
        raise CannotCompute("There is no result in this time.", "quantities")
    if len({(each.unit, each.form) for each in quantities}) > 1:
        raise CannotCompute("The results are in several units: bring them to one first.", "quantities")
    kinds = Counter(each.censor for each in quantities)
    return Period(
        len(quantities),
        kinds["<"],
        kinds[">"],
        min(quantities, key=lambda each: (each.value, each.censor != "<")),
        mean(quantities),
        max(quantities, key=lambda each: (each.value, each.censor == ">")),
        {p: percentile(quantities, p) for p in PERCENTILES if len(quantities) >= enough_for(p)},
    )


# By what a limit is the same one.
_SAME = ("set", "set_version", "statistic", "unit", "as", "than", "source")


class Against(NamedTuple):
    """How the results of a stretch of time stood against a limit, given as the last of them was judged by it."""

    limit: Mapping[str, Any]
    judged: int
    verdicts: Counter[str]


def against_limits(judgements: Sequence[Sequence[Mapping[str, Any]]]) -> list[Against]:
    """Return how results stood against each limit that was held against them, in order of time.

    `judgements` are those kept with each result, the earliest result first: see holding.judge_by_sets.
    """
    found: dict[tuple[Any, ...], list[Mapping[str, Any]]] = {}
    for of_result in judgements:
        for each in of_result:
            limit = tuple(each.get(name) for name in _SAME)
            # What a formula gives is another number each time; what stands in a table is another limit.
            bounds = () if each.get("rests_on") else (each["min"], each["max"])
            found.setdefault((*limit, *bounds), []).append(each)
    return [Against(each[-1], len(each), Counter(one["verdict"] for one in each)) for each in found.values()]
