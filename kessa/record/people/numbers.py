"""Numbers that a team gives out one after another: of samples, bottles, reports."""

from django.db.models import F

from kessa.record.people.models import Team


def take_numbers(team_id: int, of: str, many: int = 1) -> int:
    """Take so many numbers of a sequence, a field of Team, and return the first; others wait until this is kept."""
    Team.objects.filter(pk=team_id).update(**{of: F(of) + many})
    following: int = Team.objects.values_list(of, flat=True).get(pk=team_id)
    return following - many
