"""Who may what with results and checks."""

from typing import Any

from kessa.record.people.may import EVERYONE, Rule, own


def _who_tested(result: Any) -> Any:
    """Who read, or began the test."""
    begun = result.determination.started_by_id if result.determination_id else None
    return {result.person_id, begun}


def _who_ran(determination: Any) -> Any:
    return determination.started_by_id


exclude = Rule(volunteer=own("results of their own", _who_tested), technician=True)
restore = exclude
correct = Rule(volunteer=own("tests they ran", _who_ran), technician=True)
read_log = EVERYONE
