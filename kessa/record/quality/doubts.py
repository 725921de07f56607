"""What follows where marks that make results doubtful came or went."""

from collections.abc import Collection

from kessa.record.derived.of_samples import carry_marks
from kessa.record.quality.tasks import restate_places
from kessa.record.results.models import Result
from kessa.record.visits.services import changed


def follow_marks(team_id: int, flag: str, results: Collection[int]) -> None:
    """Let what rests on results follow their marks of a flag, which came or went just now.

    Their visits are to be reviewed again, and what was worked out of them carries the flag or carries it no more. How
    their places stand is worked out by the worker: a check may speak of a month at two hundred of them.
    """
    every = {*results, *carry_marks(team_id, flag, results)}
    rows = Result.objects.for_team(team_id).filter(pk__any=every).order_by()
    changed(team_id, list(rows.values_list("visit", flat=True).distinct()))
    places = list(rows.values_list("place", flat=True).distinct())
    restate_places.configure(lock=f"restate {team_id}").defer(team=team_id, places=places)
