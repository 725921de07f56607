"""Testing the same sample once more: repeated, in the next range, or diluted."""

from typing import Any

from django.core.exceptions import ValidationError

from kessa.record.determinations.may import repeat_test
from kessa.record.determinations.models import Determination
from kessa.record.people.acts import act, require_reason
from kessa.record.people.models import Membership
from kessa.record.results.marks import Reason, end
from kessa.record.results.models import Result
from kessa.record.testing.closing import recheck_sample
from kessa.record.testing.corrections import closed_test
from kessa.record.testing.services import begin_test


@act("test set aside and repeated", repeat_test)
def repeat(by: Membership, determination: Determination, *, why: str) -> Determination:
    """Set a closed test's results aside, and begin it again on the same sample.

    Raises ValidationError where nothing of it stands.
    """
    require_reason(why)
    determination = closed_test(by, determination)
    current = list(Result.objects.for_team(by.team_id).current().filter(determination=determination))
    if not current:
        raise ValidationError("Nothing of this test stands any more.")
    for result in current:
        end(result, "set-aside", Reason("set-aside", why, by), None)
    recheck_sample(determination)
    return begin_test(by, {**same_again(determination), "supersedes": str(determination.pk)})


def go_on(by: Membership, determination: Determination, dilution: float | None) -> Determination:
    """Go on after a result over the range, with everything carried over: in the next range, or diluted in the top one.

    `dilution` is how many times more the sample is diluted than it was; needed in the top range only. Going on again
    gives the same test. Raises ValidationError where it was not over the range.
    """
    following: Determination | None = Determination.objects.for_team(by.team_id).filter(continues=determination).first()
    if following:
        return following
    rows = Result.objects.for_team(by.team_id).current().filter(determination=determination, censor=">")
    if not rows.exists():
        raise ValidationError("This test was not over its range.")
    next_range = determination.method.main.next_range
    if next_range is None and not dilution:
        raise ValidationError("This was the top range: choose how far to dilute.")
    data = same_again(determination) | {"continues": str(determination.pk)}
    data["method"] = next_range or determination.method_key
    data["dilution"] = determination.dilution * (dilution or 1.0)
    try:
        return begin_test(by, data)
    except ValidationError:
        begun: Determination | None = Determination.objects.for_team(by.team_id).filter(continues=determination).first()
        if begun:
            return begun
        raise


def same_again(determination: Determination) -> dict[str, Any]:
    """Return what a test was begun with, to begin it once more on the same sample."""
    return {
        "sample": str(determination.sample_id),
        "method": determination.method_key,
        "dilution": determination.dilution,
        "kit": determination.kit_id,
        "lot": "" if determination.kit_id else determination.lot,
        "instrument": determination.instrument_id,
    }
