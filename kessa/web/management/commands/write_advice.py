"""Write docs/advice.md anew."""

from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

from kessa.core.advising.page import advice_page


class Command(BaseCommand):
    """Writes who is told what by when and by which rule, as the rules have it."""

    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        """Write the file."""
        (Path(settings.ROOT) / "docs" / "advice.md").write_text(advice_page())
