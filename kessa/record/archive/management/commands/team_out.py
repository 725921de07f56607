"""Write a team whole into an archive, to keep it or to move it to another installation."""

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError

from kessa.record.archive.archive import write_team
from kessa.record.people.models import Team


class Command(BaseCommand):
    """Writes the archive; teams are named by their number."""

    help = __doc__

    def add_arguments(self, parser: Any) -> None:
        """Which team, and where to."""
        parser.add_argument("team", type=int)
        parser.add_argument("file", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        """Write it."""
        team = Team.objects.filter(pk=options["team"]).first()
        if team is None:
            named = "".join(f"\n  {each.pk}  {each}" for each in Team.objects.order_by("pk"))
            raise CommandError(f"No team has this number. There are:{named}")
        with options["file"].open("xb") as out:
            counts = write_team(team, out)
        self.stdout.write(f"{team}: {sum(counts.values())} rows written to {options['file']}.")
