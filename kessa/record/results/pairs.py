"""What two places of a pair say together: what the water gains or loses between them, and what it usually does."""

from datetime import date
from statistics import median
from typing import Any, NamedTuple

from django.utils import timezone

from kessa.core.errors import CannotCompute
from kessa.core.quantities.quantity import Quantity, deserved, plain
from kessa.core.quantities.units import in_words, sign
from kessa.record.compiled import compiled
from kessa.record.places.models import Place
from kessa.record.places.selectors import pairs_of
from kessa.record.results.context import nearest
from kessa.record.results.models import Result, quantity_of

_PAST, _LEAST = 120, 5


class Spoken(NamedTuple):
    """What the pair says of a result: in words, and the result at its other end."""

    words: str
    other: Place
    result: int


def pairs_speak(result: Any, place: Place) -> list[Spoken]:
    """Return what each pair of a place says of a result there, where the other end was tested within a day."""
    if in_words(result.unit):
        return []
    here, found = quantity_of(result), []
    for pair, other, _ in pairs_of(place):
        row = nearest(other, result.parameter, result.taken_at)
        if row is None or row.unit != result.unit:
            continue
        try:
            there = quantity_of(row).converted(here.unit, here.form)
        except CannotCompute:
            continue
        from_, to = (there, here) if pair.second_id == place.pk else (here, there)
        usual = _usual_gain(pair.first_id, pair.second_id, place.team_id, result)
        found.append(Spoken(_in_words(pair, from_, to, usual), other, row.pk))
    return found


def _in_words(pair: Any, from_: Quantity, to: Quantity, usual: float | None) -> str:
    gain = to.value - from_.value
    width = [each.high if each.high is not None else each.value for each in (from_, to)]
    write = deserved(abs(gain), abs(gain) - (width[0] - from_.low), abs(gain) + (width[1] - to.low))
    unit = f" {sign(to.unit)}".rstrip()
    if _cannot_be_told(from_, to, gain, (to.low - width[0], width[1] - from_.low)):
        numbers = " and ".join(f"{each.censor or ''}{plain(each.value)}" for each in (to, from_))
        words = f"{pair.second} and {pair.first} cannot be told apart by this: {numbers}{unit}"
    else:
        verb = "gains" if gain >= 0 else "loses"
        at_least = "at least " if from_.censor or to.censor else ""
        words = f"The water {verb} {at_least}{write(abs(gain))}{unit} from {pair.first} to {pair.second}"
    if usual is None:
        return f"{words}."
    if abs(usual) < abs(gain) * 1e-9:
        return f"{words}, usually nothing."
    verb = "" if (usual >= 0) == (gain >= 0) else ("gains " if usual >= 0 else "loses ")
    return f"{words}, usually {verb}{plain(float(f'{abs(usual):.2g}'))}."


def _cannot_be_told(from_: Quantity, to: Quantity, gain: float, between: tuple[float, float]) -> bool:
    """Whether two numbers leave open whether the water gains or loses.

    Of one over or under its range only one side of the difference is known: it gains at least so much where the water
    comes from less than its bound or leads to more than its bound, and loses at least so much the other way round.
    """
    if not from_.censor and not to.censor:
        return between[0] <= 0 <= between[1]
    may_be_more, may_be_less = (from_.censor == "<" or to.censor == ">"), (from_.censor == ">" or to.censor == "<")
    return (may_be_more and may_be_less) or (gain <= 0 if may_be_more else gain >= 0)


def _usual_gain(first: int, second: int, team: int, result: Any) -> float | None:
    """Return the median of the gains on earlier days on which both ends were tested; None of fewer than 5."""
    data = {"parameter": result.parameter, "unit": result.unit, "form": result.form, "before": result.taken_at}
    ends = [_by_day(_past(team=team, place=place, **data)) for place in (first, second)]
    gains = [ends[1][day] - ends[0][day] for day in ends[0].keys() & ends[1].keys()]
    return median(gains) if len(gains) >= _LEAST else None


def _by_day(rows: list[Any]) -> dict[date, float]:
    return {timezone.localdate(at): value for at, value in rows}


@compiled
def _past(team: int, place: int, parameter: str, unit: str, form: str, before: Any) -> Any:
    rows = Result.objects.for_team(team).trustworthy().filter(place=place, parameter=parameter, unit=unit, form=form)
    return rows.filter(taken_at__lt=before).newest_first().values_list("taken_at", "value")[:_PAST]
