"""Load the demo world."""

from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError

from kessa.demo import world


class Command(BaseCommand):
    """Build Tarrow Vale, unless it is there."""

    help = "Build the demo world of Tarrow Vale, unless it is there."

    def handle(self, *args: Any, **options: Any) -> None:
        """Build it, in the demo only; say who the people are."""
        if not settings.DEMO:
            raise CommandError("The demo world is for the demo only.")
        built = world.build(settings.DEMO_DAYS)
        self.stdout.write("Tarrow Vale's visits are in the log." if built else "Tarrow Vale is there already.")
