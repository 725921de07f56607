"""Who may what with reports."""

from kessa.people.may import EVERYONE, TECHNICIANS

issue = TECHNICIANS
preview = EVERYONE
