"""Who may what with products."""

from kessa.record.people.may import EVERYONE, TECHNICIANS

keep_product = TECHNICIANS
retire_product = TECHNICIANS
add_lot = TECHNICIANS
put_away = TECHNICIANS
count_lot = EVERYONE
