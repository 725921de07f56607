"""Who may what on the practice bench."""

from kessa.record.people.may import COORDINATORS, EVERYONE, Rule, own

_OWN = own("their own", lambda each: each.person_id)
# Everybody practises; what one has begun is one's own, and a coordinator sees how it went.
practise = EVERYONE
go_on = Rule(volunteer=_OWN, technician=_OWN, coordinator=_OWN)
see = Rule(volunteer=_OWN, technician=_OWN)
remark = COORDINATORS
vouch = COORDINATORS
keep_rules = COORDINATORS
