"""What the bench page is given, so that it can speak without a signal."""

from collections.abc import Sequence
from typing import Any, NamedTuple, cast

from django.template.loader import render_to_string
from django.urls import reverse

from kessa.core.job.schools import complete
from kessa.core.judging.holding import rule_for
from kessa.core.judging.plausible import bounds_of
from kessa.core.judging.usual import UsualRange
from kessa.core.methods.parts import Part
from kessa.core.quantities.units import convert, sign
from kessa.core.runs.beforehand import beforehand, cases
from kessa.core.runs.conclusion import Outcome
from kessa.pages.bench.board import OnBoard
from kessa.pages.bench.inputs import end_as_seen, inputs_of
from kessa.record.advice.advising import Stands, newest_at, standing
from kessa.record.determinations.models import Determination
from kessa.record.determinations.state import Bench, bench_of, lots_of
from kessa.record.kits.models import Lot
from kessa.record.people.access import TeamRequest
from kessa.record.places.models import Place
from kessa.record.results import history
from kessa.record.results.selectors import earlier_ahead, earlier_results
from kessa.record.taps.hands import whose
from kessa.record.taps.models import Tap
from kessa.record.taps.selectors import as_sent, counted
from kessa.record.testing.judgement import Judged, judge_outcome, steps_for, steps_of_case

# So many things to do stand on the bench, the most urgent; all of them on the result's page.
_STEPS = 2
# So many runs ahead it is looked whether a bottle will do.
_RUNS_AHEAD = 3


class PartOutcome(NamedTuple):
    """What the runs of a part come to, how that is assessed, and the first thing to do about it: bench/outcome.html."""

    part: Part
    outcome: Outcome
    judged: Judged
    steps: Sequence[str] = ()


def bench_payload(
    determination: Determination,
    taps: list[Tap],
    bench: Bench,
    usual: dict[str, UsualRange | None],
    newest: list[Stands],
) -> dict[str, Any]:
    """Return the method's steps, results and rules, and every event so far, as the page's script takes them.

    `newest` are the newest results of the place (see newest_of).
    """
    method, main = determination.method, determination.method.main
    blank = method.blank if determination.asks_blank else None
    count_step = next((step for step in method.steps if step.kind == "count"), None)
    return {
        "stream": str(determination.pk),
        "address": reverse("taps:receive", args=["bench", determination.pk]),
        "outcome": reverse("bench:outcome", args=[determination.pk]),
        "here": reverse("bench:determination", args=[determination.pk]),
        "place": determination.subject,
        "family": determination.family,
        "kind": "staged" if method.staged else main.kind if method.counted else "read",
        "parts": [
            {
                "key": part.key,
                "parameter": part.parameter,
                "unit": part.unit,
                "read_s": part.read_s,
                "counts": part.counts,
                "stop_at": part.stop_at,
                "sign": sign(part.unit),
                **_beforehand(determination, part, newest),
            }
            for part in method.parts
        ],
        "steps": [
            step.model_dump(mode="json", include={"kind", "parts", "wait", "when", "ask"}, exclude_none=True)
            for step in method.steps
        ],
        "unit_of_count": main.unit_of_count,
        "stop_at": main.stop_at,
        "ladder_to": max(part.stop_at for part in method.parts),
        "settle_s": count_step.settle_s if count_step else None,
        "between_s": count_step.between_s if count_step else None,
        "measures": method.instrument,
        "parameters": method.parameters,
        "lacks_table": bool(method.lacks_table),
        "most_runs": method.agreement.most if method.agreement else 1,
        "blank": blank.model_dump(include={"good", "questionable", "stop_at"}) if blank else None,
        "wanted": main.wanted.model_dump() if main.wanted else None,
        "usual": usual_count(determination, usual[main.key]),
        "blank_counts": method.of_blank,
        "blank_carried": determination.blank_carried,
        "displays": {part.key: _display(determination, part, usual[part.key]) for part in method.parts},
        "taps": as_sent(taps),
        "states": states_of(bench),
    }


def _beforehand(determination: Determination, part: Part, newest: list[Stands]) -> dict[str, Any]:
    """Return what readings of a part come to, and what that means beside the `newest` results of the place."""
    method, place = determination.method, determination.place
    rule = rule_for(part.parameter, determination.near_limit, screened=method.screening)
    form, sets = determination.written_form(part), determination.rule_sets
    where = (place.kind_key, frozenset(place.feeds)) if place else ("", frozenset[str]())
    guidance = beforehand(part, method.agreement, determination.dilution, form, sets, rule, *where)
    if place is None:
        # A check is held against no limit.
        return guidance | {"verdicts": None}
    by_case = {
        key: steps_of_case(place, newest, part, quantity, judgements)[:_STEPS]
        for key, (quantity, judgements) in cases(part, form, sets, rule, *where).items()
    }
    given = list(dict.fromkeys(map(tuple, by_case.values())))
    return guidance | {"steps": {"said": given, "by": {key: given.index(tuple(each)) for key, each in by_case.items()}}}


def panel_of(
    determination: Determination,
    taps: list[Tap],
    newest: list[Stands],
    named: str,
    eyes: str,
    drafted: Sequence[Lot] | None = None,
) -> dict[str, Any]:
    """Return what bench/panel.html shows of a test; `named` is the signed name that its taps are given.

    `newest` are the newest results of its place (see newest_of), `drafted` the lots of one that has not begun.
    """
    place, method = determination.place, determination.method
    series = {part.key: history.series_of(method, part, determination.written_form(part)) for part in method.parts}
    usual = {key: history.usual_at(place, each) if place else None for key, each in series.items()}
    past = [(part, usual[part.key], earlier_results(place, part.parameter)) for part in method.parts] if place else []
    bench = bench_of(determination, taps)
    used = lots_of(team=determination.team_id, test=determination.pk) if drafted is None else ()
    lots = [*(drafted or ()), *(use.lot for use in used)]
    return {
        "determination": determination,
        "method": method,
        "earlier": past,
        "inputs": inputs_of(determination, complete(determination.house_rules)["between_colours"], eyes),
        "end": end_as_seen(method.main, eyes),
        "untabled": [lot for lot in lots if lot.supply_key in method.lacks_table],
        "payload": bench_payload(determination, taps, bench, usual, newest)
        | {"whose": named, "bottles": bottles_of(determination, lots)},
        **outcome_context(determination, bench, newest),
    }


def bottles_of(determination: Determination, lots: Sequence[Lot]) -> list[dict[str, Any]]:
    """Return the bottles and boxes that may run out within a few runs, with what is left and which come next.

    `takes` is the amount a run, a unit counted and a part read; the first of `lots` is the one that it begins with.
    """
    method = determination.method
    found = []
    for supply in dict.fromkeys(use.supply for use in method.uses if not use.when):
        per = {"run": 0.0, "unit": 0.0, "part": 0.0, "sample": 0.0}
        for use in method.uses:
            per[use.per] += use.amount if use.supply == supply else 0.0
        here = [lot for lot in lots if lot.supply_key == supply]
        a_run = per["run"] + per["unit"] * method.main.stop_at + per["part"] * len(method.parts)
        if here and here[0].units_left < a_run * _RUNS_AHEAD:
            kept = Lot.objects.for_team(determination.team_id).filter(kit=here[0].kit_id, supply_key=supply)
            every = {lot.pk: lot for lot in [*here, *kept.filter(put_away_at=None).order_by("expires_on", "pk")]}
            named = [
                {"pk": lot.pk, "name": str(lot), "number": lot.number, "left": lot.units_left} for lot in every.values()
            ]
            found.append({"takes": per, "lots": named})
    return found


def newest_of(determination: Determination) -> list[Stands]:
    """Return how the newest results of a test's place stand; none of a check, which has no place."""
    return _newest_at(determination.place)


def _newest_at(place: Place | None) -> list[Stands]:
    return standing(place, newest_at(place)) if place else []


def panels_on_board(request: TeamRequest, tests: list[OnBoard], *, along: bool = False) -> list[tuple[OnBoard, str]]:
    """Write the parts of the board of tests at one place, or of a check: what they rest on is read together."""
    methods = [test.determination.method for test in tests]
    # A spiked sample is of no place: what it comes to says nothing of the water.
    place = next(filter(None, (test.determination.place for test in tests)), None)
    if place:
        history.usual_ahead(place, methods)
        earlier_ahead(place, {part.parameter for method in methods for part in method.parts})
    newest = _newest_at(place)
    return [
        (test, _panel_on_board(request, test, newest if test.determination.place else [], along=along))
        for test in tests
    ]


def _panel_on_board(request: TeamRequest, test: OnBoard, newest: list[Stands], *, along: bool) -> str:
    """Write a test's part of the board; nothing where there is nothing to do in it.

    Taken along, it knows neither its number nor its sample's: the page makes them.
    """
    found = test.determination
    if found.closed_at:
        return ""
    taps = [] if test.begin else counted(found.team_id, found.pk)
    person = request.membership
    drafted = test.lots if test.begin else None
    panel = panel_of(found, taps, newest, whose(person), person.user.colours_alike, drafted)
    here = "" if along or not test.sample else f"{reverse('bench:board', args=[test.sample.visit_id])}#{found.pk}"
    panel["payload"] |= {"begin": test.begin, "planned_runs": test.runs, "here": here}
    return render_to_string("bench/panel.html", panel | {"test": test, "board": True, "along": along}, request)


def usual_count(determination: Determination, usual: UsualRange | None) -> list[float] | None:
    """Return the usual range as a count of this range; None where nothing is counted or it is written otherwise."""
    part = determination.method.main
    if usual is None or not part.numbers.has_blank:
        return None
    per, numbers = part.per * determination.dilution, cast(Any, part.numbers)
    form = determination.written_form(part)
    bounds = (convert(bound, part.unit, form, part.unit, part.form) for bound in (usual.low, usual.high))
    return [bound / per + numbers.background for bound in bounds]


def _display(determination: Determination, part: Any, usual: UsualRange | None) -> dict[str, Any] | None:
    """Return how what a display may show becomes the part's own unit, as slope and offset, and what it can be here."""
    span = part.spans.get("display")
    if span is None:
        return None
    units = {}
    for unit in (part.unit, *part.display_units):
        offset, one = ((convert(x, unit, None, part.unit, None) if unit != part.unit else x) for x in (0.0, 1.0))
        units[unit] = [one - offset, offset]
    written_alike = usual and determination.written_form(part) == part.form and determination.dilution == 1
    return {
        "own": part.unit,
        "sign": sign(part.unit),
        "units": units,
        "usual": [usual.low, usual.high] if usual and written_alike else None,
        "can_be": bounds_of(part.parameter, determination.place.water) if determination.place else None,
        "scale": [span.least, span.most],
        "reach": part.numbers.reach,
    }


def states_of(bench: Bench) -> dict[str, str]:
    """Return by part what the runs amount to: what is not known yet is left out."""
    return {key: outcome.state for key, outcome in bench.outcomes.items() if outcome.quantity}


def outcome_context(determination: Determination, bench: Bench, newest: list[Stands]) -> dict[str, Any]:
    """Return what the runs come to so far, part by part, and the first thing to do about it, for bench/outcome.html."""
    outcomes, place = [], determination.place
    for part in determination.method.finds:
        outcome = bench.outcomes[part.key]
        if outcome.quantity:
            judged = judge_outcome(determination, part, bench)
            steps = steps_for(place, newest, part, outcome.quantity, judged)[:_STEPS]
            outcomes.append(PartOutcome(part, outcome, judged, steps))
    return {"outcomes": outcomes}
