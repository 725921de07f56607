"""Who may what with files of the record."""

from kessa.record.people.may import EVERYONE

export = EVERYONE
