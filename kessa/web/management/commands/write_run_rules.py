"""Write kessa/pages/bench/run-rules.js anew."""

from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

from kessa.core.runs.transitions import script


class Command(BaseCommand):
    """Writes what each event does to a run, as the core has it, for the page."""

    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        """Write the file."""
        (settings.PAGES / "bench" / "run-rules.js").write_text(script())
