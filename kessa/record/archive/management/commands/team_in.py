"""Read a team from an archive that team_out wrote."""

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand

from kessa.record.archive.archive import read_team


class Command(BaseCommand):
    """Reads the archive whole, or not at all."""

    help = __doc__

    def add_arguments(self, parser: Any) -> None:
        """From where, and whether people of one user name are the same."""
        parser.add_argument("file", type=Path)
        parser.add_argument("--same-people", action="store_true", help="a person of the same user name is the same")

    def handle(self, *args: Any, **options: Any) -> None:
        """Read it."""
        with options["file"].open("rb") as source:
            team = read_team(source, same_people=options["same_people"])
        self.stdout.write(f"{team} is here, as team {team.pk}.")
