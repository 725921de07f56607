"""Everything that is written at a place: visits, observations, samples, bottle labels."""

import secrets
import uuid
from collections.abc import Iterable
from datetime import datetime, timedelta
from decimal import Decimal
from typing import Any

from django.core.exceptions import ValidationError
from django.db.models import Case, F, Q, Value, When
from django.dispatch import Signal
from django.utils import timezone

from kessa.core.judging.plausible import CANNOT_BE, can_be
from kessa.record.compiled import compiled
from kessa.record.instruments.models import Instrument
from kessa.record.instruments.selectors import faults_at
from kessa.record.people.acts import NotAllowed, act
from kessa.record.people.models import Membership
from kessa.record.people.numbers import take_numbers
from kessa.record.people.pins import opens
from kessa.record.people.selectors import members
from kessa.record.places.models import Place
from kessa.record.taps.hands import CLOCK_SLACK
from kessa.record.taps.incoming import BadTap, Incoming, is_key, read_tap, read_time
from kessa.record.taps.models import Tap
from kessa.record.taps.services import add_tap, tapped
from kessa.record.visits import may
from kessa.record.visits.models import (
    SETTLED,
    Bottle,
    Handover,
    Observation,
    Review,
    Sample,
    TakenOver,
    TwoVisits,
    Visit,
)
from kessa.record.visits.noted import observed

# Sent where what was observed on a visit changed, with who changed it and the scales; in the same transaction.
noted = Signal()

_ONE_STOP = timedelta(hours=3)
_LENT_FOR = timedelta(days=1)


def begin_visit(by: Membership, number: uuid.UUID, place: Place, safety: dict[str, Any], at: datetime) -> Visit:
    """Begin a visit of this number. `safety` is what was confirmed."""
    begun = Visit.objects.create(
        id=number, team_id=by.team_id, place=place, started_at=at, leader_id=by.user_id, safety=safety
    )
    begun.people.add(by.user_id)
    return begun


def stop_by(by: Membership, number: uuid.UUID, place: Place, at: datetime) -> Visit:
    """Note the time around a sample that was drawn outside any visit."""
    return Visit.objects.create(id=number, team_id=by.team_id, place=place, started_at=at)


def visit_around(place: Place, drawn_at: datetime) -> Visit | None:
    """Return the visit to which a sample drawn at a moment belongs: one going on there, or of the same few hours."""
    rows = Visit.objects.for_team(place.team_id).filter(place=place, closed_at=None)
    led = rows.filter(leader__isnull=False, started_at__lte=drawn_at + _ONE_STOP)
    unled = rows.filter(leader=None, started_at__range=(drawn_at - _ONE_STOP, drawn_at + _ONE_STOP))
    return led.order_by("-started_at").first() or unled.first()


def note(by: Membership, visit: Visit, taps: list[Tap], moments: dict[uuid.UUID, datetime]) -> None:
    """Let what was observed count, of each scale the last: `taps` are new ones, `moments` their times."""
    changed(visit.team_id, [visit.pk])
    keys = {tap.run for tap in taps}
    counting = {
        each.key: each for each in Observation.objects.for_team(visit.team_id).filter(visit=visit, key__in=keys)
    }
    by_number = Instrument.objects.for_team(visit.team_id).in_bulk([tap.data["instrument"] for tap in taps])
    newest: dict[str, Observation] = {}
    for tap in sorted(taps, key=lambda tap: (tap.seq, tap.at, tap.pk)):
        before = newest.get(tap.run) or counting.get(tap.run)
        at = moments[tap.pk]
        if before is None or (before.seq, before.at) <= (tap.seq, at):
            newest[tap.run] = _observation(visit, tap, at, by_number.get(tap.data["instrument"]))
    Observation.objects.bulk_create(
        newest.values(),
        update_conflicts=True,
        unique_fields=["visit", "key"],
        update_fields=[
            "value",
            "display",
            "display_unit",
            "instrument",
            "flags",
            "person",
            "sent_by",
            "at",
            "seq",
            "corrected",
        ],
    )
    noted.send(Observation, by=by, visit=visit, keys=keys)


def write_note(visit: Visit) -> None:
    """Keep what was written freely of a visit: the last of its taps counts, whichever came in last."""
    written = Tap.objects.for_team(visit.team_id).filter(stream=visit.pk, kind="note_written", late=False)
    visit.note = written.order_by("-seq", "-at", "-pk")[0].data["text"]
    visit.save(update_fields=["note"])


def _observation(visit: Visit, tap: Tap, at: datetime, instrument: Instrument | None) -> Observation:
    data = tap.data
    elsewhere = data["on_scale"] != data["value"]
    return Observation(
        team_id=visit.team_id,
        visit=visit,
        key=tap.run,
        value=data["on_scale"],
        display=data["value"] if elsewhere else None,
        display_unit=data["unit"] if elsewhere else "",
        instrument=instrument,
        flags=[*(faults_at(instrument, at) if instrument else []), *_doubtful(visit, tap.run, data["on_scale"])],
        person_id=tap.person_id,
        sent_by_id=tap.sent_by_id,
        at=at,
        seq=tap.seq,
        corrected="why" in data,
    )


def _doubtful(visit: Visit, key: str, value: float | None) -> list[str]:
    """What is marked about a number that such water can hardly have: the page asked about it."""
    return [] if value is None or can_be(key, value, visit.place.water) else [CANNOT_BE]


def draw_sample(visit: Visit, tap: Tap, at: datetime) -> Sample:
    """Note a sample, numbered by its bottle's label or with the team's next number; the same one twice is one."""
    data = tap.data
    noted: Sample | None = Sample.objects.for_team(visit.team_id).filter(pk=data["sample"]).first()
    if noted:
        return noted
    bottle: Bottle | None = None
    if data["bottle"]:
        bottle = Bottle.objects.for_team(visit.team_id).select_for_update().filter(pk=data["bottle"]).first()
    if bottle and (bottle.sample_id or bottle.place_id != visit.place_id):
        bottle = None
    drawn_by = data["by"] or tap.person_id
    sample: Sample = Sample.objects.create(
        id=uuid.UUID(data["sample"]),
        team_id=visit.team_id,
        visit=visit,
        number=bottle.number if bottle else take_numbers(visit.team_id, "next_sample_number"),
        way=data["way"],
        # It was said by the clock that stamped the tap: put right as that is.
        drawn_at=min(datetime.fromisoformat(data["at"]) + (at - tap.at), timezone.now()) if data["at"] else at,
        drawn_by_id=drawn_by,
        depth_cm=_decimal(data["depth_cm"]),
        water_temperature_c=_decimal(data["water_temperature_c"]),
    )
    visit.people.add(drawn_by)
    if bottle:
        bottle.sample = sample
        bottle.save(update_fields=["sample"])
    return sample


def check_bottle(place: Place, number: int) -> None:
    """Refuse a bottle that is full or labelled for another place; raises BadTap."""
    bottle = Bottle.objects.for_team(place.team_id).filter(pk=number).first()
    if bottle is None or bottle.sample_id or bottle.place_id != place.pk:
        raise BadTap("This bottle holds a sample already, or is labelled for another place.")


@act("bottle labelled", may.label_bottle)
def label_bottle(by: Membership, place: Place) -> Bottle:
    """Keep a sample number for a bottle that will be filled at a place."""
    return Bottle.objects.create(
        team_id=by.team_id,
        place=place,
        number=take_numbers(by.team_id, "next_sample_number"),
        code=secrets.token_urlsafe(12),
        printed_at=timezone.now(),
    )


def check_lead(by: Membership, visit: Visit, tap: Incoming) -> None:
    """Refuse what only who leads a visit may, and what cannot be done any more; raises NotAllowed or BadTap."""
    if not may.lead_visit(by, visit):
        raise NotAllowed(may.lead_visit.refusal)
    if not visit.is_open:
        when = f" {timezone.localtime(visit.closed_at):%-d %B, %H:%M}" if visit.closed_at else ""
        by_whom = f" by {visit.closed_by}" if visit.closed_by else ""
        raise BadTap(f"This visit was closed{when}{by_whom}.")
    if tap.kind == "handed_over" and tap.data.get("taker") == visit.leader_id:
        raise BadTap(f"{visit.leader} has this visit already.")


def hand_over(visit: Visit, tap: Tap, at: datetime) -> None:
    """Note that a visit was handed over, also where it was closed elsewhere by then."""
    taker, remark = tap.data["taker"], tap.data["remark"]
    people = {"giver_id": tap.person_id, "taker_id": taker}
    Handover.objects.create(team_id=visit.team_id, visit=visit, at=at, remark=remark, **people)
    visit.people.add(taker)


@act("two visits at once told apart or joined", may.lead_visit)
def decide_on_two_visits(by: Membership, visit: Visit, *, other: Visit, joined: bool, why: str = "") -> TwoVisits:
    """Say that two visits to one place at one time are one, made on two phones, or two, and why.

    Each keeps its taps, whose they are and its closing. Raises ValidationError.
    """
    if not joined and not why.strip():
        raise ValidationError("Say why they are two visits.")
    first, second = sorted((visit, other), key=lambda each: (each.started_at, each.pk))
    data = {"joined": joined, "why": why[:300], "said_by_id": by.user_id, "said_at": timezone.now()}
    rows = TwoVisits.objects.for_team(by.team_id)
    return rows.update_or_create(team_id=by.team_id, first=first, second=second, defaults=data)[0]


def lead_on(visit: Visit, tap: Tap, at: datetime) -> None:
    """Pause a visit, go on with it, or let whom it was handed to lead it from now on."""
    if tap.kind == "handed_over":
        visit.leader_id, visit.paused_at = tap.data["taker"], None
    else:
        visit.paused_at = at if tap.kind == "paused" else None
    visit.save(update_fields=["leader", "paused_at"])


def taken_over(by: Membership, visit: Visit, tap: Incoming, author: int) -> dict[str, Any]:
    """Return what is kept of a taking over on another's phone; raises BadTap unless it is the taker who does it.

    That is told by a PIN that was typed on the author's phone, or by the taker, who sends it: a wrong PIN does not
    become theirs because they are signed in when it goes out.
    """
    handover = Handover.objects.for_team(visit.team_id).filter(visit=visit, taker=tap.data.get("taker"))
    given = handover.select_related("taker").order_by("-pk").first() if is_key(tap.data.get("taker")) else None
    if given is None:
        raise BadTap("A visit is taken over by the person it was handed to.")
    taker, phone_of = given.taker, tap.data.get("phone_of", author)
    if not is_key(phone_of) or not members(visit.team_id).filter(pk=phone_of).exists():
        raise BadTap("A visit is taken over on the phone of somebody of your team.")
    if "pin" in tap.data:
        is_theirs = phone_of == author and opens(taker, tap.data["pin"], f"{visit.pk} {taker.pk}")
    else:
        is_theirs = by.user_id == taker.pk
    if not is_theirs:
        raise BadTap(f"This is not the PIN of {taker}, or too many were tried. Enter it again, or sign in as {taker}.")
    data = {} if "pin" in tap.data else {"since": read_time(tap.data.get("since")).isoformat()}
    return {"taker": taker.pk, "phone_of": phone_of, **data}


def take_over(visit: Visit, tap: Tap, _: datetime) -> None:
    """Lend the taker's name to the phone on which the visit goes on, or went on, as they say, until the tap."""
    TakenOver.objects.create(
        team_id=visit.team_id,
        handover=Handover.objects.for_team(visit.team_id).filter(visit=visit, taker=tap.data["taker"]).latest("pk"),
        phone_of_id=tap.data["phone_of"],
        device=tap.device,
        since=tap.data.get("since", tap.at),
        until=tap.at if "since" in tap.data else None,
    )


def lent(by: Membership, tap: Incoming, owner: int) -> list[tuple[datetime, datetime]]:
    """Return from when until when a tap's visit was in the hands of whom it names, by the clock of the owner's phone.

    That is from the PIN until the visit closed or was handed on, for a day at most; or what the taker said to be
    theirs. One of these two sends it.
    """
    assert tap.lent is not None
    if by.user_id not in (owner, tap.lent.to):
        return []
    here = TakenOver.objects.for_team(by.team_id).filter(phone_of=owner, device=tap.device)
    rows = here.filter(handover__visit=tap.lent.visit, handover__taker=tap.lent.to)
    ending = {"handed_over": timedelta(0), "visit_closed": CLOCK_SLACK}
    tapped_here = Tap.objects.for_team(by.team_id).filter(stream=tap.lent.visit, device=tap.device, kind__in=ending)
    turned = [at + ending[kind] for kind, at in tapped_here.values_list("kind", "at")]
    windows = []
    for since, given, closed in rows.values_list("since", "until", "handover__visit__closed_at"):
        # It may be closed on another phone too.
        ends = [*turned, since + _LENT_FOR, *([closed + CLOCK_SLACK] if closed else [])]
        windows.append((since, given or min(end for end in ends if end > since)))
    return windows


def close_visit(visit: Visit, tap: Tap, at: datetime, left_out: list[str]) -> None:
    """Close a visit, with what was left out of it."""
    visit.closed_at, visit.closed_by_id, visit.paused_at = max(at, visit.started_at), tap.person_id, None
    visit.left_out, visit.closing_remark = left_out, tap.data["remark"]
    visit.save(update_fields=["closed_at", "closed_by", "paused_at", "left_out", "closing_remark"])


def changed(team_id: int, visits: Iterable[uuid.UUID]) -> None:
    """Note that numbers of visits changed: what was said of them in a review was said of others."""
    again = Case(When(review__in=SETTLED, then=Value(Review.NEW)), default=F("review"))
    # Of one that is open nothing was said yet.
    said_of = Q(closed_at__isnull=False) | Q(leader=None)
    Visit.objects.for_team(team_id).filter(said_of, pk__any=visits).update(review=again, changed_at=timezone.now())


@compiled
def held_visit(team: int, pk: uuid.UUID) -> Any:
    """Return a visit with its row locked; none where the team has none of this number."""
    rows = Visit.objects.for_team(team).filter(pk=pk).select_for_update(of=("self",))
    return rows.select_related("place", "closed_by", "leader", "team")


def change_sample(sample: Sample, changed: dict[str, Any], why: str) -> None:
    """Change what was noted of a sample; its history keeps what was before, and why."""
    for name, value in changed.items():
        setattr(sample, name, value)
    sample._change_reason = why[:100]  # type: ignore[attr-defined]
    sample.save(update_fields=list(changed))


@act("observation put right", may.correct_observation)
def correct_observation(by: Membership, observation: Observation, value: float, *, why: str) -> Observation:
    """Put right what was noted on a visit; the earlier taps stay. Raises ValidationError where no scale holds it."""
    given = {"value": value, "instrument": observation.instrument_id}
    try:
        data = observed(read_tap(tapped("observed", given, run=observation.key)), observation.visit)
    except BadTap as fault:
        raise ValidationError({"value": str(fault)}) from None
    right = data | {"why": why, "was": observation.value}
    tap = add_tap(by, observation.visit_id, "observed", right, observation.key)
    note(by, observation.visit, [tap], {tap.pk: observation.at})
    # Of what was never noted there was no row yet.
    kept: Observation = Observation.objects.for_team(observation.team_id).get(
        visit=observation.visit, key=observation.key
    )
    return kept


def _decimal(number: float | None) -> Decimal | None:
    return None if number is None else Decimal(str(number))
