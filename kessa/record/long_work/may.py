"""Who may what with long work."""

from kessa.record.people.may import Rule, own

cancel = Rule(volunteer=own("what they asked for", lambda work: work.asked_by_id), technician=True)
