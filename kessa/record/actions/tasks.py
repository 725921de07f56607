"""What the worker does for actions: each morning it looks what has come due by itself."""

from typing import Any

from procrastinate.contrib.django import app

from kessa.record.actions.models import Action, State
from kessa.record.actions.proposing import propose
from kessa.record.places.models import Place


@app.periodic(cron="53 4 * * *")
@app.task(name="actions.due", queueing_lock="due", lock="due")
def due(timestamp: int, **_: Any) -> None:
    """Propose what comes due without a test: a softener, by the days that its resin lasts."""
    regenerated = Action.across_teams.filter(by_way="regenerate", state=State.DONE).values("place")
    for place in Place.across_teams.filter(kind_key="softener", pk__in=regenerated).select_related("team"):
        propose(place)
