"""Keeping what is proposed at a place in step with what was found there, and seeing whether what was done worked."""

import logging
from datetime import datetime, timedelta
from functools import partial
from typing import Any

from django.db import transaction
from django.db.models import Q
from django.dispatch import Signal
from django.utils import timezone

from kessa.core.advising.advice import Advice
from kessa.core.errors import CannotCompute
from kessa.core.proposing.proposals import proposals
from kessa.core.quantities.parameters import parameter
from kessa.core.quantities.spread import exactly, spread
from kessa.core.runs.flags import NOT_TEACHING, words
from kessa.core.treating.amounts import is_rate
from kessa.core.treating.followed import Done, follow
from kessa.core.treating.inputs import changed_inputs, inputs_of
from kessa.core.treating.lists import KEY, list_of
from kessa.core.treating.systems import Finding, Proposal, System
from kessa.record.actions.models import OPEN, Action, State, Tick, spread_fields
from kessa.record.actions.systems import finding_of, findings_at, history_of, system_of
from kessa.record.advice.advising import advised, named_at, newest_at, where_of
from kessa.record.compiled import compiled
from kessa.record.places.models import PairKind, Place
from kessa.record.places.selectors import paired
from kessa.record.results.models import Result
from kessa.record.results.selectors import flags_on

# Sent for each action that is newly proposed, in the transaction in which it is written.
proposed = Signal()
_LOG = logging.getLogger(__name__)
_MOST_SETTLED = 100
# By these somebody who reads a proposal again sees that it is another.
_SAYS_WHAT_TO_DO = ("title", "amount", "kept", "portions", "rate_l_min", "product_id", "refused", "aim")
# What changes what is in the water: after two of them nothing follows for the volume.
_CHANGES_WATER = ("bleed", "drain", "flush", "clean", "dose", "lower", "hold scale", "disinfect")


def restated(sender: Any, place: Place, advice: Advice, **_: Any) -> None:
    """Propose anew where a place's results changed, and in the systems whose water it is."""
    propose(place, advice)
    for kind in (PairKind.SUPPLY, PairKind.CONDENSATE, PairKind.FEED):
        for fed in paired(place, kind, first=True):
            propose(fed)


def products_changed(sender: Any, team: int, **_: Any) -> None:
    """Propose anew wherever something waits to be done, after a label, or what is left of a product, changed."""
    waiting = Action.objects.for_team(team).open().values("place")
    for place in Place.objects.for_team(team).filter(pk__in=waiting).select_related("team"):
        propose(place)


def limits_changed(sender: Any, team: int, key: str, **_: Any) -> None:
    """Propose anew wherever results are held against a set of which another version counts now."""
    for place in Place.objects.for_team(team).filter(limit_sets__contains=[key]).select_related("team"):
        propose(place)


def propose(place: Place, advice: Advice | None = None) -> None:
    """Follow up what was done at a place, and propose anew; a fault here never costs a reading or a note.

    `advice` is what is to be done there, where that is known already.
    """
    try:
        with transaction.atomic():
            _bring_up(place, advice or advised(place, newest_at(place)))
    except Exception:
        _LOG.exception("nothing could be proposed")


def _bring_up(place: Place, advice: Advice) -> None:
    """Bring the open proposals at a place up to what its standing results ask for.

    What somebody has decided, or begun to tick, stays until it is ended; what newer results no longer ask for is
    withdrawn. What was done or declined about the same results is not proposed again.
    """
    Place.objects.for_team(place.team_id).select_for_update().get(pk=place.pk)
    known = _open_or_waiting(team=place.team_id, place=place.pk)
    _follow_up(place, [each for each in known if each.state == State.DONE])
    findings = findings_at(place, advice)
    ticked = list_of(advice, where_of(place), partial(named_at, place))
    open_now = {each.key: each for each in known if each.state in OPEN}
    may_be_wrong = place.kind.is_plant and findings
    if not open_now and ticked is None and not may_be_wrong and not any(finding.side for finding in findings):
        return
    treated = place.kind.is_plant or place.kind_key == "well"
    system = system_of(place)._replace(history=history_of(place, findings) if treated else ())
    made = proposals(system, findings, ticked)
    answered = _settled(place, made)
    if any(each.reading.held for each in advice.assessments):
        # "Not now" is no word that something is over.
        answered = [row for row in answered if (row.key, row.state) != (KEY, State.DECLINED)]
    rows = Result.objects.for_team(place.team_id).in_bulk({pk for each in made for pk in each.results})
    marks = _marks(place.team_id, list(rows))
    for each in made:
        found_at = _found_at(each, rows)
        if not any(_answers(row, each, found_at) for row in answered):
            inputs = inputs_of(system, findings, each)
            _keep(place, open_now.pop(each.key, None), each, _fields(each, found_at) | {"inputs": inputs}, marks)
    taken_up = set(
        Tick.objects.for_team(place.team_id).filter(action__in=open_now.values()).values_list("action", flat=True)
    )
    for left in open_now.values():
        if left.state == State.PROPOSED and left.pk not in taken_up and left.results:
            left.state, left.ended_at = State.WITHDRAWN, timezone.now()
            left.save(update_fields=["state", "ended_at"])


def _found_at(made: Proposal, rows: dict[int, Result]) -> datetime:
    """Return when it was found that something is to be done: with its last result, or when it came due."""
    found_at = max(rows[pk].taken_at for pk in made.results)
    if made.due_days_ago is None:
        return found_at
    due = timezone.now() - timedelta(days=made.due_days_ago)
    # To the hour: it is worked out anew each day, and is the same.
    return max(found_at, due.replace(minute=0, second=0, microsecond=0))


def _settled(place: Place, made: list[Proposal]) -> list[Any]:
    """Return what was done or declined of what is proposed."""
    rows = Action.objects.for_team(place.team_id).filter(
        place=place, key__in=[each.key for each in made], state__in=(State.DONE, State.DECLINED)
    )
    return list(rows.order_by("-pk").values_list("key", "state", "results", "ended_at", named=True)[:_MOST_SETTLED])


def _answers(row: Any, made: Proposal, found_at: datetime) -> bool:
    """Whether something done since it was found, or declined for the same results, answers a proposal."""
    if row.key != made.key:
        return False
    return row.ended_at >= found_at if row.state == State.DONE else set(row.results) == set(made.results)


def _marks(team: int, results: list[int]) -> dict[int, list[str]]:
    """Return for which reasons results should be repeated first."""
    found: dict[int, list[str]] = {}
    for pk, flag in flags_on(team=team, results=results):
        if flag in NOT_TEACHING:
            found.setdefault(pk, []).append(words(flag))
    return found


def _keep(place: Place, row: Action | None, made: Proposal, data: dict[str, Any], marks: dict[int, list[str]]) -> None:
    """Write a proposal, or bring an open one up to it; one that was decided on the same results stays as it was."""
    if row and row.state == State.DECIDED and set(row.results) == set(made.results):
        return
    why = dict.fromkeys(mark for pk in made.results for mark in marks.get(pk, []))
    # What people do to protect themselves waits for nothing: only what is put in or let out is tested first.
    if why and made.by != "sheet":
        first = "before anything is added or let out" if made.amount else "as well"
        again = f"{parameter(made.parameter).title} is marked: {', '.join(why)}. Test again {first}."
        data["cautions"] = [again, *data["cautions"]]
    if row is None:
        _write(place, made.key, data)
        return
    if any(getattr(row, name) != data[name] for name in _SAYS_WHAT_TO_DO) and row.inputs:
        because = changed_inputs(row.inputs, data["inputs"])
        data |= {"anew_at": timezone.now(), "anew_because": because[:900]} if because else {}
    changed = [name for name, value in data.items() if getattr(row, name) != value]
    for name in changed:
        setattr(row, name, data[name])
    if changed:
        row.save(update_fields=changed)


def new_action(place: Place, made: Proposal, found_at: datetime) -> Action:
    """Write something newly proposed at a place, and let those know who tell of it."""
    return _write(place, made.key, _fields(made, found_at))


def _write(place: Place, key: str, data: dict[str, Any]) -> Action:
    of_place = {"team_id": place.team_id, "place": place, "key": key, "proposed_at": timezone.now()}
    new: Action = Action.objects.create(**of_place, **data)
    proposed.send(Action, action=new)
    return new


def _fields(made: Proposal, found_at: datetime) -> dict[str, Any]:
    """Return a proposal as the fields of an action."""
    return {
        "by_way": made.by,
        "rank": made.rank,
        "position": made.position,
        "title": made.title,
        "why": made.why,
        "working": list(made.working),
        "cautions": list(made.cautions),
        "missing": list(made.missing),
        "refused": made.refused,
        "parameter": made.parameter,
        "unit": made.unit,
        "form": made.form or "",
        "aim": made.aim,
        **spread_fields(made.amount),
        "kept": made.kept,
        "portions": made.portions,
        "hours_between": made.hours_between,
        "rate_l_min": made.rate_l_min,
        "product_id": made.product,
        "steps": [step._asdict() for step in made.steps],
        "again_hours": made.again_hours,
        "results": list(made.results),
        "found_at": found_at,
    }


@compiled
def _open_or_waiting(team: int, place: int) -> Any:
    """Return the actions at a place that are open, and those done of which nobody knows yet whether they worked."""
    waits = Q(state=State.DONE, again_at__isnull=False, followed_at=None)
    rows = Action.objects.for_team(team).filter(Q(state__in=OPEN) | waits, place=place)
    return rows.order_by("ended_at", "pk")


def _follow_up(place: Place, waiting: list[Action]) -> None:
    """Let the first result after an action, of what it was to change, say whether it worked."""
    for action in waiting:
        known = parameter(action.parameter)
        rows = Result.objects.for_team(place.team_id).current().filter(place=place, taken_at__gt=action.ended_at)
        after = rows.filter(parameter__in=[known.key, *known.also]).order_by("taken_at", "pk").first()
        if after:
            _followed(place, action, after)


def _followed(place: Place, action: Action, after: Result) -> None:
    before = Result.objects.for_team(place.team_id).filter(pk__in=action.results, parameter=after.parameter).first()
    here = before and finding_of(before)
    there = finding_of(after)
    action.followed_at, action.followed_by = timezone.now(), after
    if here and there and before:
        try:
            there = _in_unit_of(there, here, after)
            system = system_of(place)
            written_down = system.volume.value if system.volume else None
            done = _done(action, here, system, alone=_alone(action, before, after))
            followed = follow(done, here, there, written_down)
        except CannotCompute:
            followed = None
        if followed:
            action.outcome, action.worked = followed.words, followed.worked
            action.volume_told = list(followed.volume) if followed.volume and followed.volume.high else None
    elif there and there.side == "":
        action.outcome, action.worked = f"{parameter(after.parameter).title} is where it should be.", True
    action.save(update_fields=["followed_at", "followed_by", "outcome", "worked", "volume_told"])


def _in_unit_of(there: Finding, here: Finding, after: Result) -> Finding:
    if (there.unit, there.form) == (here.unit, here.form):
        return there
    quantity = after.quantity.converted(here.unit, here.form)
    return there._replace(measured=quantity.spread, unit=here.unit, form=here.form)


def _alone(action: Action, before: Result, after: Result) -> bool:
    """Whether nothing else changed the water between two readings."""
    others = Action.objects.for_team(action.team_id).filter(
        place=action.place_id,
        state=State.DONE,
        by_way__in=_CHANGES_WATER,
        ended_at__range=(before.taken_at, after.taken_at),
    )
    return not others.exclude(pk=action.pk).exists()


def _done(action: Action, here: Finding, system: System, *, alone: bool) -> Done:
    """Return what was done as following it up reckons with it; without an amount no volume follows."""
    # What runs all the time is no amount that went in or out once.
    if not alone or is_rate(action.kept):
        return Done("other", 0.0, action.aim)
    amount, label = action.done_amount or 0.0, action.label_then
    held = system.makeup_of(here) or exactly(0.0)
    if action.by_way in ("dose", "lower") and label:
        return Done(action.by_way, amount * label.changes(here.unit, here.form) * 1000, action.aim, held)
    if action.by_way in ("bleed", "drain"):
        litres = amount * (system.bleed_l_min or 0.0) if action.kept == "min" else amount
        # What steams off meanwhile is made up, too: the level tends to more than the make-up's.
        towards = spread(system.settles_at, held) if action.by_way == "bleed" else held
        return Done(action.by_way, litres, action.aim, towards)
    return Done("other", 0.0, action.aim)
