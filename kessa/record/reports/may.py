"""Who may what with reports."""

from kessa.record.people.may import EVERYONE, TECHNICIANS

issue = TECHNICIANS
preview = EVERYONE
