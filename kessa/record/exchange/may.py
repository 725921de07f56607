"""Who may what with files given out and taken in."""

from kessa.record.people.may import EVERYONE, TECHNICIANS, Rule, own

export = EVERYONE
take_in = TECHNICIANS
undo = Rule(volunteer=False, technician=own("what they took in", lambda notebook: notebook.asked_by_id))
cancel = Rule(volunteer=own("what they asked for", lambda work: work.asked_by_id), technician=True)
