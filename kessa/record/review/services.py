"""Looking visits over: accepted, asked back, answered, released, taken back. What was said stays."""

from datetime import date, datetime, time
from typing import Any

from django.core.exceptions import ValidationError
from django.db.models import Q
from django.dispatch import Signal
from django.utils import timezone

from kessa.record.people.acts import act
from kessa.record.people.models import Membership, Team, User
from kessa.record.places.models import Place
from kessa.record.results.models import Result
from kessa.record.review import may
from kessa.record.review.models import Step, What
from kessa.record.review.selectors import accepted_by, seen_of, to_look_over
from kessa.record.visits.models import SETTLED, Review, Visit

# Sent where somebody was asked something, with the step; in the same transaction.
asked = Signal()
# Sent where something was released or taken back, with the number of its team; in the same transaction.
given_out = Signal()


@act("visit reviewed", may.review)
def accept(by: Membership, visit: Visit, *, seen: str) -> Visit:
    """Accept a visit as a whole, as it was `seen`; with the last review the team needs it counts as reviewed.

    Raises ValidationError where it has changed since, where a question is open, or where it was reviewed already.
    """
    held = _held(visit)
    if held.review in SETTLED:
        raise ValidationError(f"The {held} is {held.get_review_display()} already.")
    if seen != seen_of(held):
        raise ValidationError(f"Something changed on the {held} since you opened it: look at it once more.")
    if _open_questions(held).exists():
        raise ValidationError("A question is open: wait for its answer, or withdraw it.")
    if by.user_id in accepted_by(held):
        raise ValidationError("You have accepted this visit: it waits for somebody else.")
    _say(by, held, What.ACCEPTED)
    if len(accepted_by(held)) >= by.team.reviewers_needed:
        _be(held, Review.REVIEWED)
        if by.team.released_by == "review":
            _say(by, held, What.RELEASED)
            _be(held, Review.RELEASED)
    return held


@act("question asked back", may.review)
def ask(by: Membership, visit: Visit, to: User, *, words: str, result: Result | None = None) -> Step:
    """Ask a person something about a visit; it is on their Today until it is answered."""
    held = _held(visit)
    if held.review in SETTLED:
        raise ValidationError(f"The {held} is {held.get_review_display()} already: take that back first.")
    if not words.strip():
        raise ValidationError("Write what you ask.")
    step = _say(by, held, What.ASKED, words, result=result, to=to)
    _be(held, Review.ASKED)
    asked.send(Step, step=step)
    return step


@act("question answered", may.answer)
def answer(by: Membership, question: Step, *, words: str) -> Step:
    """Answer what was asked; with the last answer the visit waits for its review again."""
    if not words.strip():
        raise ValidationError("Write what you answer.")
    return _end(by, question, What.ANSWERED, words)


@act("question withdrawn", may.withdraw)
def withdraw(by: Membership, question: Step, *, why: str = "") -> Step:
    """Withdraw a question that nobody needs to answer any more."""
    return _end(by, question, What.WITHDRAWN, why)


@act("visit released", may.release)
def release(by: Membership, visit: Visit) -> Visit:
    """Release a reviewed visit: from now on its numbers may go out."""
    held = _held(visit)
    ready = [Review.REVIEWED] if by.team.reviewers_needed else [Review.NEW, Review.REVIEWED]
    if held.review not in ready:
        raise ValidationError(f"The {held} is {held.get_review_display()}: what is reviewed can be released.")
    _say(by, held, What.RELEASED)
    return _be(held, Review.RELEASED)


@act("visits released", may.release)
def release_all(by: Membership, team: Team, *, place: Place | None, until: date) -> int:
    """Release everything that is ready up to a day, at one place or at all; return how many visits that were."""
    before = timezone.make_aware(datetime.combine(until, time.max))
    state = Review.REVIEWED if team.reviewers_needed else Review.NEW
    rows = to_look_over(team, state).filter(started_at__lte=before)
    rows = rows.filter(place=place) if place else rows
    # Held: what changes in the meantime is not released with the others.
    numbers = list(rows.order_by().select_for_update().values_list("pk", flat=True))
    now = timezone.now()
    Visit.objects.for_team(team).filter(pk__any=numbers).update(review=Review.RELEASED)
    steps = (Step(team=team, visit_id=pk, what=What.RELEASED, by_id=by.user_id, at=now) for pk in numbers)
    Step.objects.bulk_create(steps, batch_size=5000)
    given_out.send(Visit, team=team.pk)
    return len(numbers)


@act("review taken back", may.take_back)
def take_back(by: Membership, visit: Visit, *, why: str) -> Visit:
    """Take a review or release back: the visit is to be looked over anew."""
    held = _held(visit)
    if held.review not in SETTLED:
        raise ValidationError("Only what was reviewed or released is taken back.")
    if not why.strip():
        raise ValidationError("Say why: the reason stays with the visit.")
    held.changed_at = timezone.now()
    held.save(update_fields=["changed_at"])
    _say(by, held, What.TAKEN_BACK, why)
    return _be(held, Review.NEW)


@act("review rules changed", may.keep_rules)
def keep_rules(by: Membership, team: Team) -> Team:
    """Write by whom and how often visits are looked over before their numbers go out."""
    team.save(update_fields=["reviewers_needed", "reviewers", "released_by"])
    return team


def _held(visit: Visit) -> Visit:
    rows = Visit.objects.for_team(visit.team_id).select_for_update(of=("self",)).select_related("place", "team")
    held: Visit = rows.get(pk=visit.pk)
    if held.is_open:
        raise ValidationError("This visit is still open: it is reviewed when it is closed.")
    return held


def _be(held: Visit, state: Review) -> Visit:
    before, held.review = held.review, state
    held.save(update_fields=["review"])
    if Review.RELEASED in (before, state):
        given_out.send(Visit, team=held.team_id)
    return held


def _say(by: Membership, visit: Visit, what: What, words: str = "", **about: Any) -> Step:
    step: Step = Step.objects.create(
        team_id=by.team_id, visit=visit, what=what, by_id=by.user_id, at=timezone.now(), words=words[:600], **about
    )
    return step


def _open_questions(visit: Visit) -> Any:
    return Step.objects.for_team(visit.team_id).filter(Q(answer=None), visit=visit, what=What.ASKED)


def _end(by: Membership, question: Step, what: What, words: str) -> Step:
    held = _held(question.visit)
    if not _open_questions(held).filter(pk=question.pk).exists():
        raise ValidationError("This was answered or withdrawn already.")
    step = _say(by, held, what, words, answers=question, result=question.result)
    if held.review == Review.ASKED and not _open_questions(held).exists():
        _be(held, Review.NEW)
    return step
