"""Who may what with the rules."""

from kessa.people.may import COORDINATORS

choose_house_rules = COORDINATORS
