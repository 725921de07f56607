"""Who may what with notices."""

from kessa.people.may import COORDINATORS, EVERYONE

choose_wish = EVERYONE
choose_team_rule = COORDINATORS
