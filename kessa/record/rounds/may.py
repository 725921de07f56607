"""Who may what with plans."""

from kessa.record.people.may import COORDINATORS, EVERYONE, TECHNICIANS

plan_round = COORDINATORS
note_occasion = EVERYONE
answer_without_visit = EVERYONE
pack = EVERYONE
keep_feed = EVERYONE
retire_method = TECHNICIANS
