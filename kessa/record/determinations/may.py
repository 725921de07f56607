"""Who may what on the bench."""

from typing import Any

from kessa.record.people.may import EVERYONE, Rule, own


def _who_ran(determination: Any) -> Any:
    """Who began a test."""
    return determination.started_by_id


begin_test = EVERYONE
tap_on_test = EVERYONE
# A test that one did not begin may be helped with; what another tapped is theirs to take back.
take_back = Rule(volunteer=own("their own taps", lambda tap: tap.person_id), technician=True)
reopen_test = Rule(volunteer=own("tests they ran", _who_ran), technician=True)
repeat_test = Rule(volunteer=own("tests they ran", _who_ran), technician=True)
