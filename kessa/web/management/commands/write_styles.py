"""Write what the pages use of Bulma anew."""

from typing import Any

from django.core.management.base import BaseCommand

from kessa.web.styles import WRITTEN, used_styles


class Command(BaseCommand):
    """Writes kessa/pages/base/bulma.css from the vendored source and what the pages name."""

    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        """Write the file."""
        WRITTEN.write_text(used_styles())
