"""Write the scripts anew that hold the core's own rules for the page."""

from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

from kessa.web.page_rules import page_rules


class Command(BaseCommand):
    """Writes what each event does to a run, and how numbers are written, as the core has it."""

    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        """Write the files."""
        for name, script in page_rules().items():
            (settings.PAGES / name).write_text(script)
