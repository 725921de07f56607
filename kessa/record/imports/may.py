"""Who may what with files given out and taken in."""

from kessa.record.people.may import TECHNICIANS, Rule, own

import_results = TECHNICIANS
undo = Rule(volunteer=False, technician=own("what they took in", lambda imported: imported.asked_by_id))
