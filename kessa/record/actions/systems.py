"""A place as treating it needs to know it, and what was found there: rows turned into what the core reckons with."""

from collections.abc import Iterator, Sequence
from copy import copy
from datetime import datetime, timedelta
from typing import Any

from django.utils import timezone

from kessa.core.advising.advice import Advice
from kessa.core.errors import CannotCompute
from kessa.core.job.schools import near_limit
from kessa.core.judging.holding import judge_by_sets, overall, own_words, side_of, verdict_by
from kessa.core.judging.judge import OUTSIDE
from kessa.core.judging.limits import RuleSet, speaking_of
from kessa.core.proposing.asking import in_stream
from kessa.core.proposing.levels import STREAMS
from kessa.core.quantities.parameters import parameter
from kessa.core.quantities.quantity import Quantity
from kessa.core.quantities.spread import Spread, within_percent
from kessa.core.quantities.units import in_words
from kessa.core.treating.steam import steam_of
from kessa.core.treating.systems import Finding, Held, System
from kessa.core.treating.volumes import water_in_well
from kessa.record.actions.models import Action, State
from kessa.record.places.models import PairKind, Place
from kessa.record.places.selectors import chosen_sets, compared_with, paired
from kessa.record.products.models import Product
from kessa.record.products.selectors import left_of, products_of
from kessa.record.results.context import context_of
from kessa.record.results.history import found_lately
from kessa.record.results.models import Result, quantity_of
from kessa.record.rules.selectors import house_rules

# Where nobody has said how far off a volume may be.
_VOLUME_OFF = 10.0
# What feeds a system changes slowly; what was dosed is mixed in, and used up, within days.
_SUPPLY_KEEPS, _DOSE_STAYS = timedelta(days=90), timedelta(days=2)
# How far back it is looked what was done and found; what lets water out; what is followed from one test to the next.
_HISTORY_KEEPS, _MOST_DONE = timedelta(days=200), 40
_LETS_OUT = ("bleed", "drain", "flush", "clean")
# What a plan calls what was done, where it is no dose.
_DONE_AS = {"biocide": "biocide", "regenerate": "regenerate", "disinfect": "disinfect", "backwash": "backwash"}
_TRACKED = ("nitrite", "molybdate", "conductivity", "chloride")
_METALS = {"alumin": "aluminium", "galvan": "zinc", "zinc": "zinc", "copper": "copper", "brass": "copper"}
_FEEDS = {"aluminium": "aluminium", "nitrite": "nitrite", "glycol": "glycol"}


def system_of(place: Place) -> System:
    """Return what is known of a place as a system to be treated."""
    facts = place.facts
    return System(
        kind=place.kind_key,
        water=place.water,
        volume=volume_of(place),
        bleed_l_min=facts.get("bleed_l_min") or None,
        evaporation_l_h=facts.get("evaporation_l_h") or None,
        steam_kg_h=steam_of(facts),
        flow_l_h=facts.get("flow_l_h") or None,
        supply=_supply_of(place),
        holds=held_in(place),
        facts=facts | {"is_softened": "softened" in place.feeds, "disinfectant": str(facts.get("treatment") or "")},
        products=tuple(
            Held(each.pk, each.label, left_of(each))
            for each in products_of(place.team_id)
            if readable(each) and each.is_for(place.pk)
        ),
    )


def readable(product: Product) -> bool:
    """Whether this release can read a product's label."""
    try:
        return bool(product.label)
    except CannotCompute:
        return False


def volume_of(place: Place) -> Spread | None:
    """Return how much a place's system holds (L), with how far off that may be; None where it is not written down."""
    facts = place.facts
    if place.kind_key == "well":
        water_m, bore = facts.get("water_m"), facts.get("bore_mm")
        if not water_m or not bore:
            return None
        return within_percent(water_in_well(water_m, bore) + (facts.get("pipes_l") or 0.0), _VOLUME_OFF)
    volume, off, filled = facts.get("volume_l"), facts.get("volume_off"), facts.get("filled")
    if not volume:
        return None
    return within_percent(volume * (filled or 100.0) / 100, _VOLUME_OFF if off is None else off)


def held_in(place: Place) -> dict[str, str]:
    """Return what is in a place's system or what it is made of, by the names of what must not meet, and how we know."""
    metals = str(place.facts.get("metals") or "").lower()
    held = {name: f"the {name} in it" for word, name in _METALS.items() if word in metals}
    held |= {name: f"the {name} in it" for feed, name in _FEEDS.items() if feed in place.feeds}
    lately = Action.objects.for_team(place.team_id).filter(
        place=place, state=State.DONE, done_product__isnull=False, ended_at__gte=timezone.now() - _DOSE_STAYS
    )
    for action in lately.select_related("done_product").order_by("ended_at"):
        at = timezone.localtime(action.ended_at)
        known_from = f"{action.done_product}, dosed on {at.day} {at:%B at %H:%M}"
        held |= dict.fromkeys(action.done_product.holds, known_from)
    return held


def _supply_of(place: Place) -> dict[str, Quantity]:
    """Return what was last found in the water that feeds a place, by parameter."""
    supply = compared_with(place).get("supply") if place.kind.is_plant else None
    if supply is None:
        return {}
    columns = ("parameter", "value", "low", "high", "censor", "unit", "form")
    found: dict[str, Quantity] = {}
    for row in _lately_at(supply).values_list(*columns, named=True):
        if not in_words(row.unit) and row.high is not None:
            found.setdefault(parameter(row.parameter).key, quantity_of(row))
    return found


def findings_at(place: Place, advice: Advice) -> list[Finding]:
    """Return how a place stands, as findings, the most urgent first."""
    keys = [each.reading.key for each in advice.assessments]
    rows = Result.objects.for_team(place.team_id).in_bulk(keys)
    if place.kind.is_plant:
        sets = chosen_sets(place)
        rows = {key: _by_todays_limits(place, row, sets) for key, row in rows.items()}
    found = [finding_of(rows[key]) or _unjudged(rows[key]) for key in keys]
    return [each.usual() for each in (*found, *_found_in_streams(place)) if each]


def _found_in_streams(place: Place) -> Iterator[Finding | None]:
    """Yield what was last found in what comes to a boiler, by what the boiler knows it as."""
    for stream in STREAMS if place.kind_key == "boiler" else ():
        for other in paired(place, PairKind(stream), first=False)[:1]:
            sets, seen = chosen_sets(other), set()
            for row in _lately_at(other).select_related("determination__sample", "sample"):
                if row.parameter not in seen:
                    seen.add(row.parameter)
                    today = _by_todays_limits(other, row, sets)
                    found = finding_of(today) or _unjudged(today)
                    yield found and found._replace(parameter=in_stream(stream, row.parameter))


def _lately_at(supply: Place) -> Any:
    """Return what is newest at what feeds a system, as long as that speaks for it, the newest first."""
    newest = Result.objects.for_team(supply.team_id).filter(pk__any=found_lately(supply).newest)
    return newest.filter(taken_at__gte=timezone.now() - _SUPPLY_KEEPS).newest_first()


def _by_todays_limits(place: Place, row: Result, sets: tuple[RuleSet, ...]) -> Result:
    """Return a result held against the limits that are chosen for its place now; it keeps those it was judged by."""
    limits = speaking_of(row.parameter, sets, place.kind_key, place.feeds)
    # What its method itself wants is no set that anybody chose.
    of_method = [each for each in row.judgements if each["role"] == "method"]
    judged_by = {(each["set"], each["set_version"]) for each in row.judgements if each["role"] != "method"}
    if judged_by == {(rule_set.key, rule_set.version) for rule_set, _ in limits}:
        return row
    drawn = row.determination.sample if row.determination else row.sample
    rule = near_limit(house_rules(place.team_id).chosen)
    context = context_of(place, drawn, row.parameter, sets, None, row.taken_at)
    today = copy(row)
    today.judgements = [*judge_by_sets(row.quantity, row.parameter, sets, rule, context), *of_method]
    today.verdict = verdict_by(row.parameter, today.judgements) or ""
    return today


def _unjudged(row: Result) -> Finding | None:
    """Return a number that no limit is held against: others are understood by it."""
    if in_words(row.unit) or overall(row.judgements) is not None:
        return None
    return Finding(row.parameter, row.quantity.spread, row.unit, row.form or None, "", result=row.pk)


def history_of(place: Place, findings: Sequence[Finding]) -> tuple[dict[str, Any], ...]:
    """Return what was put into a place's system lately, and what was found before of what is found now.

    It begins after the last time that water was let out: from then on a level falls by nothing that is known.
    """
    now = timezone.now()
    rows = Action.objects.for_team(place.team_id).filter(
        place=place, state=State.DONE, ended_at__gte=now - _HISTORY_KEEPS
    )
    columns = ("by_way", "ended_at", "done_amount", "kept", "done_product__name")
    done = list(rows.order_by("-ended_at").values_list(*columns, named=True)[:_MOST_DONE])
    let_out = next((each.ended_at for each in done if each.by_way in _LETS_OUT), now - _HISTORY_KEEPS)
    events = [
        (each.ended_at, {
            "done": _DONE_AS.get(each.by_way, "dose"), "product": each.done_product__name or "",
            "amount": each.done_amount, "unit": each.kept,
        })
        for each in done
        if each.by_way in _DONE_AS or (each.done_product__name and each.ended_at > let_out)
    ]  # fmt: skip
    events += [(row.taken_at, found) for row, found in _tested_before(place, findings, let_out)]
    ago = ((at, (now - at).total_seconds() / 86_400) for at, _ in events)
    days = {at: max(each, 0.0) for at, each in ago}
    return tuple(event | {"days_ago": days[at]} for at, event in sorted(events, key=lambda each: each[0]))


def _tested_before(
    place: Place, findings: Sequence[Finding], since: datetime
) -> Iterator[tuple[Result, dict[str, Any]]]:
    """Yield the result before the newest of each parameter that is tracked, in the unit of what is found now."""
    tracked = {
        parameter(each.parameter).key: each
        for each in findings
        if each.parameter in _TRACKED or (each.side == "low" and not in_words(each.unit))
    }
    if not tracked:
        return
    newest = {each.result for each in tracked.values()}
    rows = (
        Result.objects.for_team(place.team_id)
        .current()
        .filter(place=place, parameter__in=list(tracked), taken_at__gte=since)
    )
    seen, newest_at = set(), {}
    for row in rows.newest_first()[:_MOST_DONE]:
        name = parameter(row.parameter).key
        if row.pk in newest:
            newest_at[name] = row.taken_at
        # Another test of the same water is none before it.
        if name not in newest_at or row.taken_at >= newest_at[name] or name in seen or row.censor:
            continue
        seen.add(name)
        try:
            there = row.quantity.converted(tracked[name].unit, tracked[name].form)
        except CannotCompute:
            continue
        off = (there.value if there.high is None else there.high) - there.value
        yield row, {"done": "test", "findings": {name: there.value}, "as": there.form, "off": max(off, 0.0)}


def finding_of(row: Result) -> Finding | None:
    """Return a result as treating knows it; None where nothing says how much there should be."""
    quantity = row.quantity
    if in_words(row.unit):
        # What cannot be told counts as found.
        found = bool(quantity.value)
        return Finding(row.parameter, quantity.spread, row.unit, None, "present" if found else "", result=row.pk)
    decisive = overall(row.judgements)
    if decisive is None:
        return None
    try:
        # A mean or a difference decides as it is; what one treats is what was found.
        there = quantity.converted(decisive["unit"], decisive["as"]) if not decisive.get("than") else quantity
    except CannotCompute:
        return None
    least, most = (None, None) if decisive.get("than") else (decisive["min"], decisive["max"])
    side = ""
    if row.verdict == OUTSIDE:
        side = side_of(decisive)
    measured = there.spread
    if there.censor == "<":
        measured = measured._replace(value=there.value / 2)
    words = own_words(row.judgements) if side else ""
    aim = None if decisive.get("than") else decisive.get("aim")
    return Finding(row.parameter, measured, there.unit, there.form, side, least, most, words, row.pk, aim)  # type: ignore[arg-type]
