"""Erase a team with everything in it: rows, files, and whoever is of no other team."""

from typing import Any

from django.core.management.base import BaseCommand, CommandError

from kessa.record.archive.archive import erase_team
from kessa.record.people.models import Team


class Command(BaseCommand):
    """Erases it for good; its name has to be said beside its number."""

    help = __doc__

    def add_arguments(self, parser: Any) -> None:
        """Which team, by number and name."""
        parser.add_argument("team", type=int)
        parser.add_argument("name")

    def handle(self, *args: Any, **options: Any) -> None:
        """Erase it."""
        team = Team.objects.filter(pk=options["team"], name=options["name"]).first()
        if team is None:
            raise CommandError("No team has this number and this name.")
        gone = erase_team(team)
        self.stdout.write(f"{options['name']} is erased: {sum(gone.values())} rows.")
