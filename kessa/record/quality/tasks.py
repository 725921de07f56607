"""What the worker does when results became doubtful, or are doubtful no more."""

from procrastinate.contrib.django import app

from kessa.record.advice.place_status import restate
from kessa.record.places.models import Place


@app.task(name="quality.restate_places", queue="alarm")
def restate_places(team: int, places: list[int]) -> None:
    """Keep anew how places stand."""
    for place in Place.objects.for_team(team).filter(pk__in=places).select_related("team"):
        restate(place)
