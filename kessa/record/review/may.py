"""Who may what in reviews."""

from typing import Any

from kessa.record.people.may import COORDINATORS, Case, Rule, own
from kessa.record.people.models import Membership
from kessa.record.review.selectors import hands_on


def _of_others(by: Membership, visit: Any, *others: Any) -> bool:
    return by.user_id not in hands_on(visit)


def _where_technicians_do(by: Membership, visit: Any, *others: Any) -> bool:
    return by.team.reviewers == "technician" and _of_others(by, visit)


# Nobody reviews what they had a hand in.
review = Rule(
    volunteer=False,
    technician=Case("visits of others, where the team lets technicians review", _where_technicians_do),
    coordinator=Case("visits of others", _of_others),
)
answer = Rule(volunteer=own("what they were asked", lambda step: step.to_id), technician=True)
withdraw = Rule(volunteer=False, technician=own("what they asked", lambda step: step.by_id))
release = COORDINATORS
take_back = COORDINATORS
keep_rules = COORDINATORS
