"""Who may what with webhooks."""

from kessa.record.people.may import COORDINATORS

keep_hook = COORDINATORS
