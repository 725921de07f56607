"""Who may what with kits and lots."""

from kessa.record.people.may import EVERYONE, TECHNICIANS, Case, Rule

keep_kit = TECHNICIANS
add_lot = TECHNICIANS
put_away = TECHNICIANS
weigh_lot = TECHNICIANS
# In the field a new box is opened, counted and found damp by whoever holds it.
use_lot = EVERYONE
count_lot = EVERYONE
suspect_damp = EVERYONE
keep_table = Rule(
    volunteer=Case("lots that have no table yet", lambda by, lot, *_: not lot.table),
    technician=True,
)
