"""Who may what with pads and scales."""

from kessa.record.people.may import EVERYONE, TECHNICIANS

keep_pads = EVERYONE
bring_scale = TECHNICIANS
learn_scale = TECHNICIANS
