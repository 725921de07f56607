"""What the worker does for actions: each morning it looks what has come due by itself."""

from typing import Any

from procrastinate.contrib.django import app

from kessa.record.actions.models import Action, State
from kessa.record.actions.proposing import propose
from kessa.record.places.models import Place


@app.periodic(cron="53 4 * * *")
@app.task(name="actions.due", queue="alarm", queueing_lock="due", lock="due")
def due(timestamp: int, **_: Any) -> None:
    """Propose what comes due without a test: softeners and filters, by the days that they last."""
    done = Action.across_teams.filter(by_way__in=("regenerate", "backwash"), state=State.DONE).values("place")
    kinds = ("softener", "filter")
    for place in Place.across_teams.filter(kind_key__in=kinds, pk__in=done).select_related("team"):
        propose(place)
