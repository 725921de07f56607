"""Every verdict there may be about a part beforehand, by where a value and both ends of its interval lie."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from itertools import combinations_with_replacement, pairwise, product
from typing import Any

from kessa.core.errors import CannotCompute
from kessa.core.judging.holding import NOT_AGREED, hold, says_too_little
from kessa.core.judging.judge import CENSORS, EQUAL, INSIDE, NEAR, VERDICTS
from kessa.core.judging.limits import Limit, RuleSet, speaking_of, window_of
from kessa.core.methods.parts import Part
from kessa.core.quantities.quantity import Quantity

# At a bound itself a verdict may be another than to either side, and 0 has no last digits to forgive.
_AT_NONE = 1e-300
_NO_RESULT = "-"
# Of more stretches than any place's own limits make, not every way is gone through.
_MOST_STRETCHES = 40


def verdict_stretches(
    part: Part,
    form: str | None,
    sets: Sequence[RuleSet],
    rule: str | None = None,
    kind: str = "",
    feeds: Collection[str] = (),
) -> dict[str, Any] | None:
    """Return the verdicts on results of a part, in its unit and written as `form`; None where nothing judges it.

    `kind` is that of the place, `feeds` what its water is used for.

    Of each of `limits`, `middle` parts low from high where both are bounded, and `cuts` part the value, the low and the
    high end into stretches: the numbers up to the first cut, and so on. By censor ("" where there is none) stands a
    digit for each triple of stretches, the high end's the fastest: the place of the verdict in `order`, "-" where no
    result lies. The gravest of the limits counts; where the runs do not agree it becomes what `not_agreed` says, and
    there is no verdict where it is what `says_nothing`. Limits that rest on other readings or results are not among
    them: they are held against it when it is sent.
    """
    one = Quantity(1.0, 1.0, 1.0, None, part.unit, form or part.form)
    asked = [(limit, rule, one) for _, limit in speaking_of(part.parameter, sets, kind, feeds) if limit.of_one_reading]
    if part.wanted:
        # What the method wants is asked of the kit's own form.
        asked.append((window_of(part), None, part.own(one)))
    tables = [(limit, table) for limit, by, one in asked if (table := _table(limit, by, one))]
    if not tables:
        return None
    return {
        "order": VERDICTS,
        "not_agreed": NOT_AGREED,
        "says_nothing": INSIDE if says_too_little(part.parameter, [limit.min for limit, _ in tables]) else None,
        "limits": [table for _, table in tables],
    }


def _table(limit: Limit, rule: str | None, one: Quantity) -> dict[str, Any] | None:
    """Return the table of a limit for results written so that 1 of them is `one`; None where it does not convert."""
    try:
        ends, close = (
            [_in_units_of(one, Quantity(bound, bound, bound, None, limit.unit, limit.form)) for bound in found]
            for found in (_bounds(limit), _close_to(limit))
        )
    except CannotCompute:
        return None
    cuts = [_cuts([*ends, *close]), _cuts(ends), _cuts(ends)]
    table: dict[str, Any] = {"cuts": cuts, "middle": sum(ends) / 2 if len(ends) == 2 else None}
    for censor in ("", *CENSORS):
        held = (_verdict(_scaled(one, triple, censor), limit, rule) for triple in product(*map(_representing, cuts)))
        table[censor] = "".join(str(VERDICTS.index(each)) if each else _NO_RESULT for each in held)
    return table


def examples(verdicts: Mapping[str, Any], one: Quantity) -> dict[str, tuple[Quantity, bool]]:
    """Return a result for each way in which verdict_stretches may judge one, and whether its runs agree, by a key.

    The key has for each limit the digit of its verdict, and "l" or "h" for the side of what is not well inside. `one`
    is a result of 1 in its unit and form. None is returned where too many limits speak of it.
    """
    limits = verdicts["limits"]
    numbers = _representing(sorted({cut for limit in limits for cuts in limit["cuts"] for cut in cuts}))
    if len(numbers) > _MOST_STRETCHES:
        return {}
    found: dict[str, tuple[Quantity, bool]] = {}
    for censor in ("", *CENSORS):
        for low, value, high in combinations_with_replacement(numbers, 3):
            digits = [_digit(limit, (value, low, high), censor) for limit in limits]
            if _NO_RESULT in digits:
                continue
            for agreed in (True, False):
                key = _key(verdicts, digits, value, agreed=agreed)
                if key not in found:
                    found[key] = _scaled(one, (value, low, high), censor), agreed
    return found


def _digit(limit: Mapping[str, Any], triple: Sequence[float], censor: str) -> str:
    place = 0
    for cuts, number in zip(limit["cuts"], triple, strict=True):
        place = place * (len(cuts) + 1) + sum(cut < number for cut in cuts)
    return str(limit[censor][place])


def _key(verdicts: Mapping[str, Any], digits: Sequence[str], value: float, *, agreed: bool) -> str:
    order, words = verdicts["order"], []
    for limit, digit in zip(verdicts["limits"], digits, strict=True):
        word = order[int(digit)]
        place = order.index(word if agreed else verdicts["not_agreed"].get(word, word))
        middle = limit["middle"]
        words.append(f"{place}{'' if middle is None or not place else 'h' if value > middle else 'l'}")
    return ",".join(words)


def _verdict(result: Quantity, limit: Limit, rule: str | None) -> str | None:
    try:
        return hold(result, limit, rule).verdict
    except CannotCompute:
        return None


def _in_units_of(one: Quantity, bound: Quantity) -> float:
    return bound.converted(one.unit, one.form).value / one.value


def _scaled(one: Quantity, triple: tuple[float, ...], censor: str) -> Quantity:
    value, low, high = (each * one.value for each in triple)
    return Quantity(value, low, None if censor == ">" else high, censor or None, one.unit, one.form)


def _bounds(limit: Limit) -> list[float]:
    return [bound for bound in (limit.min, limit.max) if bound is not None]


def _close_to(limit: Limit) -> list[float]:
    """Return from where a value inside is close to a bound, by judge's own measure."""
    bounds = _bounds(limit)
    width = bounds[-1] - bounds[0] if len(bounds) == 2 else abs(bounds[0])
    return [bound + side * NEAR * width for bound, side in ((limit.min, 1), (limit.max, -1)) if bound is not None]


def _cuts(bounds: Sequence[float]) -> list[float]:
    """Return the cuts to either side of each bound: at the bound itself, give or take the last digits, is a stretch."""
    forgiven = ((bound, max(EQUAL * abs(bound), _AT_NONE)) for bound in bounds)
    return sorted(cut for bound, off in forgiven for cut in (bound - off, bound + off))


def _representing(cuts: Sequence[float]) -> list[float]:
    """Return a number for each stretch."""
    first = cuts[0] / 2 if cuts[0] > 0 else cuts[0] * 2
    return [first, *((low + high) / 2 for low, high in pairwise(cuts)), cuts[-1] + 1]
