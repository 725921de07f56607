"""Who may what with notifications."""

from kessa.record.people.may import COORDINATORS, EVERYONE

choose_wish = EVERYONE
choose_team_rule = COORDINATORS
