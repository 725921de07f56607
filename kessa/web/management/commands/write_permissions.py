"""Write docs/permissions.md anew."""

from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

from kessa.web.permissions import permissions_page


class Command(BaseCommand):
    """Writes who may what, as the code has it."""

    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        """Write the file."""
        (Path(settings.ROOT) / "docs" / "permissions.md").write_text(permissions_page())
