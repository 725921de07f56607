"""What each op asks of the core, and how its answer is written. Each imports what it needs when it is first asked."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

from kessa.core.calc import advising, tables, water
from kessa.core.calc.arguments import Answer, Arguments
from kessa.core.errors import CannotCompute

_MOST_VALUES = 1000
_MOST_RUNS = 50
# How long a shortest plan is searched for before the best found is given, with its gap.
_SEARCH_SECONDS = 30.0


def convert(arguments: Arguments) -> Answer:
    """A value in another unit or form."""
    from kessa.core.quantities.units import convert

    value = convert(
        arguments.number("value"),
        arguments.text("unit"),
        arguments.text("as", None),
        arguments.text("to_unit"),
        arguments.text("to_as", None),
    )
    return {"value": value}


def determine(arguments: Arguments) -> Answer:
    """A reading of any kind as a result with its interval."""
    from kessa.core.readings import determine

    dilution = arguments.number("dilution", 1.0, least=1.0)
    determined = determine(arguments.mapping("method"), arguments.mapping("reading"), dilution)
    return {**determined.quantity.as_dict(), "next": determined.next, "working": list(determined.working)}


def replicates(arguments: Arguments) -> Answer:
    """Whether runs agree."""
    from kessa.core.methods.replicates import RULES, Rule, agree, check_rule

    values = arguments.numbers("values", most=_MOST_VALUES)
    name = arguments.text("rule", "units", choices=RULES)
    steps = arguments.numbers("steps", most=_MOST_VALUES) if arguments.has("steps") else None
    check_rule(name, steps)
    rule = Rule(
        name,
        arguments.number("within", least=0.0),
        arguments.number("per", 1.0, above=0.0),
        arguments.number("floor", 0.0, least=0.0),
        steps or (),
    )
    agreement = agree(values, rule, arguments.whole("most", 3, least=1))
    return {**agreement._asdict(), "used": list(agreement.used)}


def judge(arguments: Arguments) -> Answer:
    """A result against a limit."""
    from kessa.core.judging.judge import CENSORS, RULES, Bounds, Interval, at_most, judge

    given = arguments.section("result", ("value", "low", "high", "censor"))
    result = Interval(
        given.number("value"),
        given.number("low"),
        given.number("high", None),
        given.text("censor", None, choices=CENSORS),
    )
    if not at_most(result.low, result.value):
        raise CannotCompute("low is above the value.", "low")
    if result.high is not None and not at_most(result.value, result.high):
        raise CannotCompute("high is below the value.", "high")
    bounds = arguments.section("limit", ("min", "max"))
    verdict, margin = judge(
        result,
        Bounds(bounds.number("min", None), bounds.number("max", None)),
        arguments.text("rule", "simple", choices=RULES),
        arguments.number("near", 0.1, least=0.0, most=1.0),
    )
    return {"verdict": verdict, "margin": margin}


def dilute(arguments: Arguments) -> Answer:
    """How far to dilute a sample into a range."""
    from kessa.core.planning.dilution import FACTORS, dilute

    estimate = arguments.number("estimate", least=0.0)
    low, high = arguments.span("range")
    factors = tuple(arguments.numbers("factors", most=_MOST_VALUES)) if arguments.has("factors") else FACTORS
    if min(factors) < 1:
        raise CannotCompute("A dilution factor is 1 or more.", "factors")
    return dilute(estimate, low, high, arguments.number("make_ml", above=0.0), factors)._asdict()


def plan(arguments: Arguments) -> Answer:
    """In which order one person does several tests soonest."""
    from kessa.core.planning.several_tests import MOST_STEPS, MOST_TESTS, PlannedStep, PlannedTest, plan_tests

    def test(given: Arguments) -> PlannedTest:
        steps = [
            PlannedStep(each.number("hands"), each.number("wait", 0.0), each.number("slack", None))
            for each in given.sections("steps", ("hands", "wait", "slack"), most=MOST_STEPS)
        ]
        uses = frozenset(given.texts("uses")) if given.has("uses") else frozenset()
        return PlannedTest(given.text("id"), tuple(steps), given.number("start_by", None), uses)

    try:
        tests = [
            test(each) for each in arguments.sections("tests", ("id", "start_by", "uses", "steps"), most=MOST_TESTS)
        ]
    except CannotCompute as fault:
        # Whatever is malformed in a list of tests is an error on it.
        raise CannotCompute(fault.message, "tests") from None
    found = plan_tests(tests, seconds=_SEARCH_SECONDS)
    return {
        "total": found.total,
        "starts": {name: list(starts) for name, starts in found.starts.items()},
        "one_by_one": found.one_by_one,
        "gap": found.gap,
    }


def standard(arguments: Arguments) -> Answer:
    """How a standard is made from its stock."""
    from kessa.core.planning.dilution import make_standard

    made = make_standard(
        arguments.number("stock", above=0.0),
        arguments.number("want", above=0.0),
        arguments.number("make_ml", above=0.0),
        arguments.number("smallest_ml", 1.0, above=0.0),
    )
    answer: Answer = {"take_ml": made.take_ml, "water_ml": made.water_ml}
    return answer | ({"intermediate": made.intermediate._asdict()} if made.intermediate else {})


def recovery(arguments: Arguments) -> Answer:
    """What part of a standard was found."""
    from kessa.core.runs.recovery import recovery

    low, high = arguments.number("low", 85.0), arguments.number("high", 115.0)
    if low > high:
        raise CannotCompute("low is above high.", "low")
    found, expected = arguments.number("found", least=0.0), arguments.number("expected", above=0.0)
    percent, verdict = recovery(found, expected, low, high)
    return {"percent": percent, "verdict": verdict}


def spike(arguments: Arguments) -> Answer:
    """What part of a spike was found."""
    from kessa.core.runs.recovery import spike_recovery

    return {
        "percent": spike_recovery(
            arguments.number("sample", least=0.0),
            arguments.number("spiked", least=0.0),
            arguments.number("sample_ml", above=0.0),
            arguments.number("added_ml", above=0.0),
            arguments.number("added_strength", above=0.0),
        )
    }


def trend(arguments: Arguments) -> Answer:
    """Whether a series rises or falls."""
    from kessa.core.judging.trend import MOST_POINTS, Below, trend

    t = arguments.numbers("t", most=MOST_POINTS)

    def below(each: Any) -> Below:
        try:
            return Below(Arguments(each, "y", ("below",)).number("below"))
        except CannotCompute as fault:
            # Inside a list the list is at fault.
            raise CannotCompute(fault.message, "y") from None

    y = arguments.numbers("y", most=MOST_POINTS, otherwise=below)
    season = arguments.labels("season") if arguments.has("season") else None
    return trend(t, y, season, arguments.number("confidence", 0.95))._asdict()


def methods(arguments: Arguments) -> Answer:
    """The house library, all of it, a family or one method."""
    from kessa.core.methods import house_methods

    key, family = arguments.text("key", None), arguments.text("family", None)
    known = house_methods()
    if key is not None and key not in known:
        raise CannotCompute(f"The library has no method {key}.", "key")
    if family is not None and family not in {method.family for method in known.values()}:
        raise CannotCompute(f"The library has no family {family}.", "family")
    chosen = [known[each] for each in sorted(known) if key in (None, each) and family in (None, known[each].family)]
    return {"methods": [_described(method) for method in chosen]}


def _described(method: Any) -> Answer:
    rule = method.agreement
    agreement = rule and {"rule": rule.rule, "within": rule.within, "most": rule.most, "floor": rule.floor}
    if rule and rule.rule == "steps":
        agreement["steps"] = list(rule.steps_of(method.main))
    return {
        "key": method.key,
        "version": method.version,
        "family": method.family,
        "test_name": method.test_name,
        "may_dilute": method.may_dilute,
        "screening": method.screening,
        "agreement": agreement,
        "blank": method.blank and method.blank.model_dump(include={"good", "questionable", "stop_at"}),
        "parts": [
            {
                "key": part.key,
                "parameter": part.parameter,
                "kind": part.kind,
                "unit": part.unit,
                "as": part.form,
                "numbers": part.snapshot()["numbers"],
                "detects": part.detects,
            }
            for part in method.parts
        ],
    }


def conclude(arguments: Arguments) -> Answer:
    """What the bench writes in the log for the readings of the runs, by the default house rules."""
    from kessa.core.methods import house_methods
    from kessa.core.runs.conclusion import Blank, conclude

    key = arguments.text("method")
    if key not in house_methods():
        raise CannotCompute(f"The library has no method {key}.", "method")
    method = house_methods()[key].under({})
    parts = {part.key: part for part in method.parts}
    part = parts.get(arguments.text("part", method.main.key))
    if part is None:
        raise CannotCompute(f"This method has no such part; it has {', '.join(parts)}.", "part")
    given = arguments.sections("readings", part.numbers.reading_keys(), most=_MOST_RUNS)
    readings = [each.as_given() for each in given]
    if part.lacks_table:
        raise CannotCompute("This strip is read by its lot's own table.", "method")
    took = arguments.whole("blank", None)
    dilution = arguments.number("dilution", 1.0, least=1.0)
    if took is not None and not method.blank:
        raise CannotCompute("This method has no blank of its own.", "blank")
    blank = None
    if method.blank:
        verdict = "missing" if took is None else method.blank.verdict(int(took))
        blank = Blank(None if took is None else int(took), verdict)
    outcome = conclude(method, part, dict(enumerate(readings, 1)), blank, dilution)
    assert outcome.quantity is not None
    answer = {"state": outcome.state, "used": [number - 1 for number in outcome.used], **outcome.quantity.as_dict()}
    return answer | {"flags": list(outcome.flags), "working": list(outcome.working)}


def colour(arguments: Arguments) -> Answer:
    """How far two colours lie apart, or a screen's colour in Lab."""
    from kessa.core.colours.difference import difference
    from kessa.core.colours.lab import checked_lab, lab_of_rgb

    if arguments.has("rgb"):
        if arguments.has("lab1") or arguments.has("lab2"):
            raise CannotCompute("Give two colours of Lab, or one of rgb.", "rgb")
        levels = arguments.numbers("rgb", most=3)
        if len(levels) != 3:
            raise CannotCompute("rgb is three levels from 0 to 255.", "rgb")
        return {"lab": list(lab_of_rgb(*levels))}
    one, other = (checked_lab(arguments.numbers(name, most=3), name) for name in ("lab1", "lab2"))
    return {"difference": difference(one, other)}


def match(arguments: Arguments) -> Answer:
    """Where a colour stands among the steps of a card."""
    from kessa.core.colours.lab import checked_lab
    from kessa.core.colours.match import Step, match

    def step(given: Arguments) -> Step:
        return Step(given.number("value"), checked_lab(given.numbers("lab", most=3), "lab"))

    try:
        chart = [step(each) for each in arguments.sections("chart", ("value", "lab"), most=_MOST_VALUES)]
    except CannotCompute as fault:
        # Inside a list the list is at fault.
        raise CannotCompute(fault.message, "chart") from None
    found = match(chart, checked_lab(arguments.numbers("lab", most=3), "lab"))
    return found._asdict() | {"between": list(found.between)}


class Op(NamedTuple):
    """An op: its answer and the names of its arguments."""

    respond: Callable[[Arguments], Answer]
    arguments: tuple[str, ...]


OPS = {
    "convert": Op(convert, ("value", "unit", "as", "to_unit", "to_as")),
    "determine": Op(determine, ("method", "reading", "dilution")),
    "replicates": Op(replicates, ("values", "within", "rule", "per", "most", "floor", "steps")),
    "judge": Op(judge, ("result", "limit", "rule", "near")),
    "dilute": Op(dilute, ("estimate", "range", "factors", "make_ml")),
    "plan": Op(plan, ("tests",)),
    "standard": Op(standard, ("stock", "want", "make_ml", "smallest_ml")),
    "recovery": Op(recovery, ("found", "expected", "low", "high")),
    "spike": Op(spike, ("sample", "spiked", "sample_ml", "added_ml", "added_strength")),
    "oxygen": Op(water.oxygen, ("temperature_c", "salinity", "pressure_kpa", "elevation_m", "do_mg_l")),
    "ammonia": Op(water.ammonia, ("total_as_n", "ph", "temperature_c")),
    "aquatic": Op(water.aquatic, ("analyte", "ph", "temperature_c", "salmonids", "hardness")),
    "alkalinity": Op(water.alkalinity, ("p", "total")),
    "scaling": Op(water.scaling, ("ph", "temperature_c", "calcium_hardness", "alkalinity", "tds")),
    "cycles": Op(water.cycles, ("system", "makeup", "evaporation")),
    "boiler": Op(water.boiler, ("feed", "limit")),
    "dose": Op(water.dose, ("volume_l", "measured", "target", "active_percent", "density_kg_l", "makeup_level")),
    "tracer": Op(water.tracer, ("added_g", "before", "after")),
    "bleed": Op(water.bleed, ("volume_l", "rate_l_min", "measured", "target", "makeup", "evaporation_l_h")),
    "load": Op(water.load, ("value", "flow_l_s")),
    "trend": Op(trend, ("t", "y", "season", "confidence")),
    "colour": Op(colour, ("lab1", "lab2", "rgb")),
    "match": Op(match, ("chart", "lab")),
    "cell": Op(tables.cell, ("text", "mark")),
    "moment": Op(tables.moment, ("text", "zone", "order")),
    "propose": Op(advising.propose, ("system", "make_up", "findings", "bands", "products", "history")),
    "advise": Op(advising.advise, ("kind", "feeds", "sets", "elevation_m", "results")),
    "methods": Op(methods, ("key", "family")),
    "conclude": Op(conclude, ("method", "part", "readings", "blank", "dilution")),
}
