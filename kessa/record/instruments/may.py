"""Who may what with instruments."""

from kessa.record.people.may import EVERYONE, TECHNICIANS

keep_instrument = TECHNICIANS
check_instrument = EVERYONE
take_shown = EVERYONE
