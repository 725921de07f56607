"""What the worker does for instruments: it forgets what they showed and nobody took over."""

from datetime import timedelta
from typing import Any

from django.utils import timezone
from procrastinate.contrib.django import app

from kessa.record.instruments.services import clear_readings

_KEPT = timedelta(days=30)


@app.periodic(cron="29 3 * * *")
@app.task(name="instruments.clear_readings", queueing_lock="clear-readings")
def clear(timestamp: int, **_: Any) -> None:
    """Forget readings of a month ago that nobody took over."""
    clear_readings(timezone.now() - _KEPT)
