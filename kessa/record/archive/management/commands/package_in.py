"""Read a data package into an empty team."""

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError

from kessa.record.archive.packages import read_package
from kessa.record.people.models import Team


class Command(BaseCommand):
    """Reads the package whole, or not at all; the team is named by its number."""

    help = __doc__

    def add_arguments(self, parser: Any) -> None:
        """Into which team, from where, and whether people of one user name are the same."""
        parser.add_argument("team", type=int)
        parser.add_argument("file", type=Path)
        parser.add_argument("--same-people", action="store_true", help="a member of the same user name is the same")

    def handle(self, *args: Any, **options: Any) -> None:
        """Read it."""
        team = Team.objects.filter(pk=options["team"]).first()
        if team is None:
            raise CommandError("No team has this number.")
        with options["file"].open("rb") as source:
            counts = read_package(source, team, same_people=options["same_people"])
        self.stdout.write(f"{team}: {sum(counts.values())} rows read from {options['file']}.")
