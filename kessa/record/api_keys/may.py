"""Who may what with keys and hooks."""

from kessa.record.people.may import EVERYONE, Rule, own

make_key = EVERYONE
_whose = own("their own keys", lambda key: key.membership.user_id)
revoke_key = Rule(volunteer=_whose, technician=_whose)
