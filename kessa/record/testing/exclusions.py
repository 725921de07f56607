"""Excluding results and restoring them, and confirming numbers that were asked about."""

from django.core.exceptions import ValidationError
from django.db.models import Q

from kessa.core.judging.plausible import DOUBTS
from kessa.core.runs.flags import ENDS
from kessa.record.advice.place_status import restate
from kessa.record.determinations.models import Determination
from kessa.record.people.acts import act, require_reason
from kessa.record.people.models import Membership
from kessa.record.quality.qualifying import lift
from kessa.record.results import may
from kessa.record.results.marks import Reason, end
from kessa.record.results.models import Mark, Result
from kessa.record.testing.closing import recheck_sample
from kessa.record.testing.services import held


@act("result set aside", may.exclude)
def exclude(by: Membership, result: Result, *, why: str) -> Result:
    """Set a standing result aside, without a new test; raises ValidationError where it stands no more."""
    require_reason(why)
    _hold(result)
    if _ending(result) is not None:
        raise ValidationError("This result stands no more.")
    end(result, "set-aside", Reason("set-aside", why, by), None)
    recheck_sample(result.determination)
    restate(result.place)
    return result


@act("result brought back", may.restore)
def restore(by: Membership, result: Result, *, why: str) -> Result:
    """Let a result that was set aside stand again; raises ValidationError where another stands in its place."""
    require_reason(why)
    _hold(result)
    mark = _ending(result)
    if mark is None or mark.flag != "set-aside":
        raise ValidationError("This result was not set aside.")
    others = Result.objects.for_team(by.team_id).current()
    after = Q(determination=result.determination_id) | Q(determination__supersedes=result.determination_id)
    if result.determination_id and others.filter(after, part=result.part).exists():
        raise ValidationError("Another result of the same test stands in its place.")
    lift([mark], by, why)
    recheck_sample(result.determination)
    restate(result.place)
    return result


@act("number stood by", may.correct)
def confirm(by: Membership, determination: Determination, result: Result, *, flag: str) -> Result:
    """Say that a number about which something was asked is right: the mark is lifted, by whom stays to be seen."""
    if flag not in DOUBTS:
        raise ValidationError("This was not asked.")
    marks = list(Mark.objects.for_team(by.team_id).filter(result=result, flag=flag, lifted_at=None))
    lift(marks, by, "it is right")
    return result


def _hold(result: Result) -> None:
    """Hold what a result rests on, so that nobody else ends it or brings it back at the same moment."""
    if result.determination_id:
        held(result.team_id, result.determination_id)


def _ending(result: Result) -> Mark | None:
    rows = Mark.objects.for_team(result.team_id).filter(result=result, flag__in=ENDS, lifted_at=None)
    found: Mark | None = rows.first()
    return found
