"""Everything that changes plans: rounds, occasions, what is settled, packing lists, calendar addresses."""

from datetime import date

from django.core.exceptions import ValidationError
from django.db import transaction
from django.utils import timezone

from kessa.record.kits.models import Kit
from kessa.record.methods.selectors import families_of
from kessa.record.methods.services import retire
from kessa.record.people.acts import act
from kessa.record.people.models import Membership, User
from kessa.record.people.secrets import digest_of, new_secret
from kessa.record.places.models import Place
from kessa.record.rounds import may
from kessa.record.rounds.models import CalendarFeed, KitCheck, Occasion, PlannedTest, Round, Stop, StopOutcome
from kessa.record.rounds.selectors import Due, dues_at
from kessa.record.visits.models import Visit


@act("round planned", may.plan_round)
def keep_round(by: Membership, each: Round, people: list[User]) -> Round:
    """Write a new or changed round; what was settled stays settled."""
    each.save()
    each.people.set(people)
    return each


@act("stop planned", may.plan_round)
def plan_stop(by: Membership, each: Round, place: Place, tests: dict[str, dict[str, int]], in_place: list[str]) -> Stop:
    """Plan what is done at a place on a round: runs, blanks and standards by test family, and in-place readings."""
    Round.objects.for_team(by.team_id).select_for_update().get(pk=each.pk)
    last = each.stops.order_by("-position").first()
    stop, _ = Stop.objects.for_team(by.team_id).get_or_create(
        team_id=by.team_id, round=each, place=place, defaults={"position": last.position + 1 if last else 1}
    )
    stop.in_place = in_place
    stop.save(update_fields=["in_place"])
    for test in stop.tests.exclude(family__in=tests):
        test.delete()
    for family, numbers in tests.items():
        if family not in families_of(by.team_id):
            raise ValidationError("This test is not among your team's methods.")
        PlannedTest.objects.for_team(by.team_id).update_or_create(
            team_id=by.team_id, stop=stop, family=family, defaults=numbers
        )
    return stop


@act("stop left out", may.plan_round)
def leave_out(by: Membership, stop: Stop) -> None:
    """Take a place off a round."""
    stop.delete()


@act("round ended", may.plan_round)
def retire_round(by: Membership, each: Round) -> Round:
    """End a round; what was measured on it stays."""
    each.retired_at = timezone.now()
    each.save(update_fields=["retired_at"])
    return each


@act("method retired", may.retire_method)
def retire_method(by: Membership, key: str) -> None:
    """Take a method of the team's own out of use, off rounds and kits; what was measured by it stays."""
    retire(by.team_id, key)
    for test in PlannedTest.objects.for_team(by.team_id).filter(family=key):
        test.delete()
    for kit in Kit.objects.for_team(by.team_id).filter(families__contains=[key]):
        kit.families = [family for family in kit.families if family != key]
        kit.save(update_fields=["families"])


@act("occasion noted", may.note_occasion)
def note_occasion(
    by: Membership, kind: str, happened_on: date, place: Place | None = None, remark: str = ""
) -> Occasion:
    """Note that something happened: the rounds that wait for it are due from now on. Noting it twice a day is once."""
    noted: Occasion = Occasion.objects.for_team(by.team_id).get_or_create(
        team_id=by.team_id,
        kind=kind,
        happened_on=happened_on,
        place=place,
        defaults={"noted_by_id": by.user_id, "noted_at": timezone.now(), "remark": remark},
    )[0]
    return noted


@act("nobody goes", may.answer_without_visit)
def answer_without_visit(by: Membership, place: Place, *, why: str) -> int:
    """Settle what is due at a place without going, with the reason; return how many stops that were."""
    if not why.strip():
        raise ValidationError("Say why nobody goes: the reason stays with the plan.")
    return settle_dues(by, dues_at(place), reason=why)


@act("calendar address made", may.keep_feed)
def new_feed(by: Membership) -> str:
    """Make a secret calendar address for a person, in place of the one before; return its token, kept nowhere."""
    token = new_secret()
    CalendarFeed.objects.for_team(by.team_id).update_or_create(
        membership=by, defaults={"team_id": by.team_id, "digest": digest_of(token), "made_at": timezone.now()}
    )
    return token


@act("calendar address ended", may.keep_feed)
def revoke_feed(by: Membership) -> None:
    """Let a person's calendar address lead nowhere."""
    CalendarFeed.objects.for_team(by.team_id).filter(membership=by).delete()


@act("packing list made", may.pack)
def keep_packing_list(by: Membership, check: KitCheck) -> KitCheck:
    """Keep a packing list as it was worked out."""
    check.save()
    return check


def tick(check: KitCheck, key: str, *, packed: bool) -> KitCheck:
    """Tick a line of a packing list off, or on again; raises ValidationError where it has no such line."""
    with transaction.atomic():
        held: KitCheck = KitCheck.objects.for_team(check.team_id).select_for_update().get(pk=check.pk)
        if key not in {line["key"] for line in held.lines}:
            raise ValidationError("This is not on the list.")
        held.ticked = sorted({*held.ticked, key} if packed else {*held.ticked} - {key})
        held.save(update_fields=["ticked"])
    return held


def settle_dues(by: Membership, dues: list[Due], visit: Visit | None = None, reason: str = "") -> int:
    """Settle what is due: by a visit, or by the reason why nobody goes; return how many stops that were."""
    now = timezone.now()
    rows = [
        StopOutcome(
            team_id=by.team_id,
            stop=due.stop,
            due_on=due.due_on,
            occasion=due.occasion,
            visit=visit,
            reason=reason,
            person_id=by.user_id,
            at=now,
        )
        for due in dues
    ]
    return len(StopOutcome.objects.bulk_create(rows, ignore_conflicts=True))
