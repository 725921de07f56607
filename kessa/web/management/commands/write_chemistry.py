"""Write docs/chemistry.md anew."""

from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

from kessa.core.methods.chemistry import chemistry_page


class Command(BaseCommand):
    """Writes the chemistry of the house methods, as their files have it."""

    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        """Write the file."""
        (Path(settings.ROOT) / "docs" / "chemistry.md").write_text(chemistry_page())
