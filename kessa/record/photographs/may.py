"""Who may what with photographs."""

from kessa.record.people.may import EVERYONE, Rule, own

_THEIRS = own("photographs they added", lambda photograph: photograph.added_by_id)
add_photograph = EVERYONE
remove_photograph = Rule(volunteer=_THEIRS, technician=_THEIRS)
