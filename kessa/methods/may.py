"""Who may what with a team's own methods."""

from kessa.people.may import TECHNICIANS

write_method = TECHNICIANS
