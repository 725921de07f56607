"""Everything that is done with actions: decided, done, declined, ticked, and what the water told taken over."""

from datetime import datetime, timedelta
from functools import partial
from typing import Any

from django.core.exceptions import ValidationError
from django.utils import timezone

from kessa.core.quantities.spread import Spread
from kessa.core.treating.amounts import is_rate
from kessa.core.treating.doubts import doubts_about
from kessa.core.treating.lists import KEY, seen_list
from kessa.core.treating.mixing import refusal
from kessa.core.treating.ways import ways
from kessa.record.actions import may
from kessa.record.actions.models import OPEN, Action, State, Tick
from kessa.record.actions.proposing import new_action, propose
from kessa.record.actions.systems import held_in, volume_of
from kessa.record.actions.wording import title_in
from kessa.record.advice.advising import named_at, where_of
from kessa.record.advice.place_status import hold, lift
from kessa.record.people.acts import act
from kessa.record.people.models import Membership
from kessa.record.places.models import Place
from kessa.record.products.models import Product, ProductLot
from kessa.record.products.services import change, take_out
from kessa.record.results.models import Result

_LONGEST_BACK = timedelta(days=366)
# What is done before anything is put in.
_CLEANS, _LETS_OUT = ("clean", "flush"), ("bleed", "drain")


@act("action decided", may.decide)
def decide(by: Membership, action: Action, *, on_word_of: str = "") -> Action:
    """Write down that something is to be done; `on_word_of` names whose decision it was, where it was another's."""
    action = _held(action)
    action.state, action.decided_by_id, action.decided_at = State.DECIDED, by.user_id, timezone.now()
    action.on_word_of = on_word_of[:120]
    action.save(update_fields=["state", "decided_by", "decided_at", "on_word_of"])
    return action


@act("action declined", may.decline)
def decline(by: Membership, action: Action, *, why: str) -> Action:
    """Write down that something is not done, with the reason."""
    action = _held(action)
    if not why.strip():
        raise ValidationError("Say why it is not done: the reason stays with it.")
    _end(by, action, State.DECLINED, timezone.now(), why)
    action.save()
    return action


@act("action done", may.do)
def do(
    by: Membership,
    action: Action,
    at: datetime,
    *,
    amount: float | None = None,
    product: Product | None = None,
    lot: ProductLot | None = None,
    remark: str = "",
    again_at: datetime | None = None,
    despite: bool = False,
) -> Action:
    """Write down that something was done: when, how much (in what it is kept in), with which product and lot.

    The lot's stock falls, and the test that says whether it worked is booked for `again_at`. Raises ValidationError
    where it was ended meanwhile, on a time that cannot be, on a list with steps left and no remark, and with all that
    is odd about it (see ask_about), unless it is said to have been so `despite` that.
    """
    action = _held(action)
    _check_time(at)
    left = steps_left(action)
    if left and not remark.strip():
        raise ValidationError(f"{len(left)} step{'' if len(left) == 1 else 's'} not ticked: tick them, or say why not.")
    if amount is None and action.amount is not None:
        raise ValidationError("Say how much it was.")
    odd = odd_about(by, action.place, product, lot, amount, action)
    if odd and not despite:
        raise ValidationError(odd)
    _end(by, action, State.DONE, at, _with_doubts(remark, odd))
    action.done_amount, action.again_at = amount, again_at
    _put_in(by, action, product, lot)
    action.save()
    if action.key == KEY:
        # What stands is told anew, and with it proposed.
        lift(action.place)
    else:
        propose(action.place)
    return action


@act("action taken back", may.take_back)
def take_back(by: Membership, action: Action, *, why: str) -> Action:
    """Say that something written down as done, or declined, was not: it stays to be seen, and is proposed anew.

    What was booked off a lot comes back to it.
    """
    held = Action.objects.for_team(action.team_id).select_for_update(of=("self",)).select_related("place__team", "lot")
    row: Action = held.get(pk=action.pk)
    if row.state not in (State.DONE, State.DECLINED):
        raise ValidationError("Only what was done or declined is taken back.")
    if not why.strip():
        raise ValidationError("Say why it is taken back: the reason stays with it.")
    given = row.done_amount if row.lot_gave is None else row.lot_gave
    if row.lot is not None and given:
        change(by, row.lot, given, f"taken back at {row.place}")
    row.state, row.again_at = State.TAKEN_BACK, None
    row.remark = f"{row.remark} Taken back: {why}".strip()[:600]
    row.save(update_fields=["state", "again_at", "remark"])
    if row.key == KEY:
        hold(row.place, row.results)
    else:
        propose(row.place)
    return row


@act("something done noted", may.note_done)
def note_done(
    by: Membership,
    place: Place,
    at: datetime,
    *,
    by_way: str,
    title: str,
    amount: float | None = None,
    kept: str = "L",
    product: Product | None = None,
    lot: ProductLot | None = None,
    remark: str = "",
    again_at: datetime | None = None,
    despite: bool = False,
) -> Action:
    """Note what somebody did that Kessa had not proposed, so that it stands beside the results.

    Raises ValidationError on a time that cannot be, and on what is odd about it, unless it was so `despite` that.
    """
    _check_time(at)
    odd = odd_about(by, place, product, lot, amount)
    if odd and not despite:
        raise ValidationError(odd)
    now = timezone.now()
    action = Action(
        team_id=by.team_id, place=place, key=f"noted:{now.isoformat()}", by_way=by_way, title=title[:600], kept=kept,
        found_at=at, proposed_at=now, parameter=product.parameter if product else "",
        again_hours=again_hours_of(by_way), ended_at=at,
    )  # fmt: skip
    action.results = _found_before(action)
    _end(by, action, State.DONE, at, _with_doubts(remark, odd))
    action.done_amount, action.again_at = amount, again_at if action.parameter else None
    action.save()
    _put_in(by, action, product, lot)
    action.save()
    propose(place)
    return action


def _found_before(action: Action) -> list[int]:
    """Return the last result before something was done of what it is to change: with it, it can be followed up."""
    rows = Result.objects.for_team(action.team_id).current().filter(place=action.place, taken_at__lte=action.ended_at)
    return list(rows.filter(parameter=action.parameter).newest_first().values_list("pk", flat=True)[:1])


@act("list begun", may.begin_list)
def begin_list(by: Membership, place: Place) -> Action:
    """Begin the list for what somebody sees at a place, without a number; the one that is open where one is."""
    Place.objects.for_team(place.team_id).select_for_update().get(pk=place.pk)
    made = seen_list(where_of(place), partial(named_at, place))
    if made is None:
        raise ValidationError("There is no such list for this kind of place.")
    now = timezone.now()
    action: Action = Action.objects.for_team(place.team_id).open().filter(place=place, key=made.key).first()
    return action or new_action(place, made, found_at=now)


@act("step ticked", may.tick)
def tick(by: Membership, action: Action, key: str, *, done: bool = True, remark: str = "") -> Tick:
    """Tick a step of a list off, or on again; who, when and the remark are kept, also of what was taken back."""
    action = _held(action)
    if key not in {step["key"] for step in action.steps}:
        raise ValidationError("This is not on the list.")
    ticked: Tick = Tick.objects.create(
        team_id=by.team_id,
        action=action,
        key=key,
        done=done,
        person_id=by.user_id,
        at=timezone.now(),
        remark=remark[:300],
    )
    return ticked


@act("volume taken over", may.take_volume)
def take_volume(by: Membership, action: Action) -> Place:
    """Write down how much a system holds as the answer of the water told it, and how far off that may be."""
    held = Action.objects.for_team(action.team_id).select_for_update().get(pk=action.pk)
    if not held.volume_told:
        raise ValidationError("Nothing was told of the volume.")
    value, low, high = held.volume_told
    return keep_volume(by, action.place, value, low, high)


@act("volume written down", may.take_volume)
def keep_volume(by: Membership, place: Place, value: float, low: float, high: float) -> Place:
    """Write down how much a place's system holds (L), between which ends; what is proposed there follows it."""
    off = max(value - low, high - value) / value * 100
    place = Place.objects.for_team(place.team_id).select_for_update().get(pk=place.pk)
    # Three figures are what such a volume deserves.
    place.facts |= {"volume_l": float(f"{value:.3g}"), "volume_off": min(float(f"{off:.2g}"), 50.0)}
    place.save(update_fields=["facts"])
    propose(place)
    return place


def steps_left(action: Action) -> list[str]:
    """Return which steps of a list are not ticked."""
    ticked = {each.key: each.done for each in action.ticks.all()}
    return [step["key"] for step in action.steps if not ticked.get(step["key"])]


def odd_about(
    by: Membership, place: Place, product: Product | None, lot: ProductLot | None, amount: float | None,
    action: Action | None = None,
) -> list[str]:  # fmt: skip
    """Return what a member is asked before something is written down as done at a place, in words.

    A product that must not meet what is in the system; what is still open before it; an amount far from what was
    proposed, above the label's most at once, or more than was left of its lot.
    """
    odd, system = [], by.user.amount_system
    if product is not None:
        why = refusal(product.name, product.holds, held_in(place))
        odd += [why] if why else []
        odd += [f"Still open before it: {title_in(each, system)}." for each in _open_before(place, action)]
    kept: Any = action.kept if action else product.kept if product else None
    if amount is None or kept is None:
        return odd
    proposed = at_once = None
    if action is not None and action.amount is not None and action.amount_low is not None:
        proposed = Spread(action.amount, action.amount_low, action.amount_high)
    if product is not None and product.kept == kept and product.most_per_m3 and (volume := volume_of(place)):
        portions = action.portions if action else 1
        at_once = portions * product.most_per_m3 * (volume.high or volume.value) / 1000
    left = max(lot.left, 0.0) if lot and not is_rate(kept) else None
    return odd + doubts_about(amount, kept, proposed, at_once, left, system)


def _open_before(place: Place, action: Action | None) -> Any:
    """Return what is open at a place and is done before something is put in, in its order."""
    rows = Action.objects.for_team(place.team_id).open().filter(place=place, amount__isnull=False)
    if action is None:
        return rows.filter(by_way__in=_CLEANS).order_by("position")
    return rows.filter(by_way__in=(*_CLEANS, *_LETS_OUT), position__lt=action.position).order_by("position")


def _with_doubts(remark: str, odd: list[str]) -> str:
    """Return a remark with what was asked, and was so all the same."""
    return " ".join(filter(None, (remark, *(f"Asked: {each} So it was." for each in odd))))


def default_again(action: Action, at: datetime) -> datetime | None:
    """Return when one tests whether something worked, done at a moment."""
    return None if action.again_hours is None else at + timedelta(hours=action.again_hours)


def again_hours_of(by_way: str) -> float:
    """Return after how many hours one tests again what was done in a way."""
    return ways()[by_way].again_hours if by_way in ways() else 24.0


def _held(action: Action) -> Action:
    """Return an action as it is now, held; raises ValidationError where it has ended."""
    rows = (
        Action.objects.for_team(action.team_id)
        .select_for_update(of=("self",))
        .select_related("place__team", "ended_by")
    )
    held: Action = rows.get(pk=action.pk)
    if held.state not in OPEN:
        who = f" by {held.ended_by}" if held.ended_by else ""
        raise ValidationError(f"It is {held.get_state_display()} already{who}.")
    return held


def _check_time(at: datetime) -> None:
    now = timezone.now()
    if at > now + timedelta(minutes=5):
        raise ValidationError("This time is still to come.")
    if at < now - _LONGEST_BACK:
        raise ValidationError("This is more than a year ago.")


def _end(by: Membership, action: Action, state: State, at: datetime, remark: str) -> None:
    action.state, action.ended_by_id, action.ended_at, action.remark = state, by.user_id, at, remark[:600]


def _put_in(by: Membership, action: Action, product: Product | None, lot: ProductLot | None) -> None:
    """Book a product that went in, with its label as it is today."""
    if product is None:
        return
    if lot is not None and lot.product_id != product.pk:
        raise ValidationError("This lot is of another product.")
    action.done_product, action.lot, action.label = product, lot, product.label.model_dump(mode="json")
    # What is fed all the time is counted off its lot when that is counted.
    if lot is not None and action.done_amount and not is_rate(action.kept):
        action.lot_gave = take_out(by, lot, action.done_amount, f"used at {action.place}")
