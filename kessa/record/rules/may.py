"""Who may what with the rules."""

from kessa.record.people.may import COORDINATORS, TECHNICIANS

choose_house_rules = COORDINATORS
write_rule_set = TECHNICIANS
