"""What the worker does: it forgets old answers."""

from datetime import timedelta
from typing import Any

from django.utils import timezone
from procrastinate.contrib.django import app

from kessa.record.api_keys.models import Answered

_ANSWERS_KEPT = timedelta(days=2)


@app.periodic(cron="41 3 * * *")
@app.task(name="api.clear_answers", aliases=["kessa.api.tasks.clear_answers"], queueing_lock="clear-answers")
def clear_answers(timestamp: int, **_: Any) -> None:
    """Forget answers that nobody asks for again."""
    Answered.across_teams.filter(at__lt=timezone.now() - _ANSWERS_KEPT).delete()
