"""Who may what with actions."""

from typing import Any

from kessa.record.people.may import EVERYONE, Case, Rule, own
from kessa.record.people.models import Membership


def _no_plant(by: Membership, about: Any, *others: Any) -> bool:
    place = getattr(about, "place", about)
    return bool(place.water != "plant")


# What goes into or out of a plant is decided by who runs it; on a bank or at a well everybody of the team may.
decide = Rule(volunteer=Case("what is no plant", _no_plant), technician=True)
decline = decide
take_volume = Rule(volunteer=False, technician=True)
# What was done is a fact, whoever writes it down.
do = EVERYONE
note_done = EVERYONE
take_back = Rule(volunteer=own("what they wrote down", lambda action: action.ended_by_id), technician=True)
tick = EVERYONE
begin_list = EVERYONE
