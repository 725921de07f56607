"""Reaching rows: always through a team."""

from typing import Any

from django.db import models


class TeamManager(models.Manager):  # type: ignore[type-arg]
    """Gives rows of one team only. What is not asked for by team is not given."""

    # What a manager makes: Django's own, which its stubs leave out.
    _queryset_class: type[models.QuerySet[Any]]

    def get_queryset(self) -> Any:
        """Refuse: a queryset without a team would reach every team's rows."""
        raise TypeError(f"Say whose: {self.model.__name__}.objects.for_team(team).")

    def for_team(self, team: models.Model | int) -> Any:
        """Return the rows that belong to `team`, or to the team of that number."""
        return self._queryset_class(self.model, using=self._db).filter(team=team)

    def create(self, **values: Any) -> Any:
        """Write a row, which names its team."""
        return self._queryset_class(self.model, using=self._db).create(**values)

    def bulk_create(self, objs: Any, *args: Any, **options: Any) -> Any:
        """Write rows, each of which names its team."""
        return self._queryset_class(self.model, using=self._db).bulk_create(objs, *args, **options)
