"""Who may what with public pages."""

from kessa.record.people.may import COORDINATORS

open_page = COORDINATORS
close_page = COORDINATORS
