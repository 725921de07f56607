"""Who may what on the practice bench."""

from kessa.people.may import COORDINATORS, EVERYONE, Rule, own

# Everybody practises; what one has begun is one's own.
practise = EVERYONE
go_on = Rule(
    volunteer=own("their own", lambda each: each.person_id),
    technician=own("their own", lambda each: each.person_id),
    coordinator=own("their own", lambda each: each.person_id),
)
vouch = COORDINATORS
keep_rules = COORDINATORS
