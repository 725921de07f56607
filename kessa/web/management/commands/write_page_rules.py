"""Write the scripts anew that hold the core's own rules for the page."""

from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

from kessa.core.quantities import quantity
from kessa.core.runs import transitions


class Command(BaseCommand):
    """Writes what each event does to a run, and how numbers are written, as the core has it."""

    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        """Write the files."""
        (settings.PAGES / "bench" / "run-rules.js").write_text(transitions.script())
        (settings.PAGES / "base" / "number-rules.js").write_text(quantity.script())
