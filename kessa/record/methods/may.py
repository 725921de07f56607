"""Who may what with a team's own methods."""

from kessa.record.people.may import TECHNICIANS

write_method = TECHNICIANS
