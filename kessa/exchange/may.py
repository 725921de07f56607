"""Who may what with files given out and taken in."""

from kessa.people.may import EVERYONE, Rule, own

export = EVERYONE
cancel = Rule(volunteer=own("what they asked for", lambda work: work.asked_by_id), technician=True)
