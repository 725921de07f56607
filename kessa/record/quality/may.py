"""Who may what with checks."""

from typing import Any

from kessa.record.people.may import COORDINATORS, Rule, own


def _who_checked(check: Any) -> Any:
    return check.person_id


withdraw_check = Rule(volunteer=own("checks they ran", _who_checked), technician=True)
use_own_spread = COORDINATORS
