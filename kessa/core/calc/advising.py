"""The ops that say what people are told to do, and what is proposed for a water system: see ops."""

from __future__ import annotations

from kessa.core.calc.arguments import Answer, Arguments
from kessa.core.errors import CannotCompute

_MOST_RESULTS = 200
_OF_RESULT = ("parameter", "value", "unit", "as", "low", "high", "censor", "found", "flags")


def advise(arguments: Arguments) -> Answer:
    """What stands at a place by all that is newest there, and what is to be done, in order."""
    from kessa.core.advising.advice import Where, advise
    from kessa.core.advising.readings import readings_by_sets
    from kessa.core.job.feeds import feeds
    from kessa.core.job.place_kinds import place_kinds
    from kessa.core.judging.limits import rule_sets

    kind = arguments.text("kind")
    if kind not in place_kinds():
        raise CannotCompute(f"kind must be one of: {', '.join(place_kinds())}.", "kind")
    used_for = arguments.texts("feeds") if arguments.has("feeds") else []
    known_uses = {each.key for each in feeds()}
    if any(each not in known_uses for each in used_for):
        raise CannotCompute(f"feeds must be of: {', '.join(sorted(known_uses))}.", "feeds")
    keys = arguments.texts("sets")
    if any(key not in rule_sets() for key in keys):
        raise CannotCompute(f"sets must be of: {', '.join(rule_sets())}.", "sets")
    height = arguments.number("elevation_m", None, least=-500, most=9000)
    where = Where(kind, frozenset(used_for), height)
    try:
        given = arguments.sections("results", _OF_RESULT, least=0, most=_MOST_RESULTS)
        found = [_reading(each) for each in given]
    except CannotCompute as fault:
        # Inside a list the list is at fault.
        raise CannotCompute(fault.message, "results") from None
    advice = advise(where, readings_by_sets(where, found, [rule_sets()[key] for key in dict.fromkeys(keys)]))
    answer: Answer = {
        "stands": advice.worst_verdict,
        "worst": advice.worst,
        "decided_by": advice.decided_by,
        "within_h": advice.within_h,
        "do": advice.codes,
    }
    return answer | ({"boil_minutes": advice.boil_minutes} if advice.boil_minutes else {})


def propose(arguments: Arguments) -> Answer:
    """What to do with a water system: steps in their order, what must be said, figures."""
    from kessa.core.proposing.propose import propose

    plan = propose(arguments.whole_request())
    answer: Answer = {
        "steps": [each.as_dict() for each in plan.steps],
        "says": list(plan.says),
        "figures": plan.figures,
    }
    return answer | ({"not_used": plan.not_used} if plan.not_used else {})


def _reading(given: Arguments):  # type: ignore[no-untyped-def] # what it returns is imported late
    from kessa.core.advising.advice import Reading
    from kessa.core.judging.germs import GERMS
    from kessa.core.judging.judge import CENSORS, at_most
    from kessa.core.judging.limits import IN_UNITS
    from kessa.core.quantities.parameters import parameter, parameters
    from kessa.core.quantities.quantity import Quantity
    from kessa.core.quantities.units import can_be, convert, in_words

    name = given.text("parameter")
    known = parameter(name)
    if known.key not in parameters():
        raise CannotCompute(f"Kessa does not know the parameter {name}.", "parameter")
    flags = tuple(given.texts("flags")) if given.has("flags") else ()
    if given.has("found"):
        if known.key not in GERMS or given.has("value"):
            raise CannotCompute("found is of germs that are looked for, in place of a value.", "found")
        present = given.text("found", choices=("present", "absent", "unsure"))
        value, low = float(present != "absent"), float(present == "present")
        return Reading(known.key, Quantity(value, low, value, None, "presence"), flags=flags)
    value, unit, form = given.number("value"), given.text("unit"), given.text("as", None)
    if unit not in IN_UNITS or in_words(unit) or known.measured_in == "presence":
        raise CannotCompute(f"{known.title} is not given in {unit}.", "unit")
    if form is not None:
        convert(value, unit, form, unit, form)
    censor = given.text("censor", None, choices=CENSORS)
    low = given.number("low", 0.0 if censor == "<" else value)
    high = None if censor == ">" else given.number("high", value)
    if not at_most(low, value) or not (high is None or at_most(value, high)):
        raise CannotCompute("low, value and high rise in this order.", "value")
    if low < 0 and not known.may_be_negative:
        raise CannotCompute("It cannot be below nothing.", "value")
    if known.key == "pH" and value > can_be("pH")[1]:
        raise CannotCompute("A pH lies between 0 and 14.", "value")
    return Reading(known.key, Quantity(value, low, high, censor, unit, form), flags=flags)
