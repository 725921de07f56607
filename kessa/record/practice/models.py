"""What was practised, and who vouched for whom."""

import uuid
from typing import Any

from django.conf import settings
from django.db import models
from django.utils.functional import cached_property

from kessa.core.methods.schema import Method
from kessa.core.practice.lessons import Lesson, lessons
from kessa.core.practice.world import World
from kessa.record.determinations.models import Determination
from kessa.record.people.models import TeamOwned


class Practised(TeamOwned):
    """One go at a lesson, or at a method on made-up water: `points` is what was right in it, once it has ended."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    # Empty where a method was practised without a lesson.
    lesson_key = models.CharField(max_length=60, blank=True)
    # Empty of a lesson without a test.
    family = models.CharField(max_length=60, blank=True)
    method_definition = models.JSONField(default=dict)
    house_rules = models.JSONField(default=dict)
    world_made = models.JSONField(default=dict)
    # What was said besides the taps: what was seen before, the verdict, the answers of a lesson.
    said = models.JSONField(default=dict)
    started_at = models.DateTimeField()
    closed_at = models.DateTimeField(null=True)
    # As kessa.core.practice.scoring gives them.
    points = models.JSONField(default=list)
    passed = models.BooleanField(default=False)
    # A coordinator's words on it, for whom it was.
    remark = models.CharField("A word about it", max_length=500, blank=True)
    remarked_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+")

    class Meta(TeamOwned.Meta):
        ordering = ["-started_at"]
        indexes = [models.Index(fields=["team", "person", "-started_at"], name="practised_by")]

    def __str__(self) -> str:
        return self.lesson.title if self.lesson else self.method.test_name

    @property
    def lesson(self) -> Lesson | None:
        """The lesson it is a go at; None for a method by itself, or where this release has no such lesson."""
        return lessons().get(self.lesson_key)

    @property
    def method(self) -> Method:
        """The method as it is practised, under the schools of then."""
        return self.determination.method

    @cached_property
    def world(self) -> World:
        """The water that was made up for it."""
        return World.model_validate(self.world_made)

    @cached_property
    def determination(self) -> Determination:
        """It as the bench knows a test: of no sample, and never kept."""
        definition: dict[str, Any] = self.method_definition
        return Determination(
            id=self.pk,
            team_id=self.team_id,
            family=self.family,
            method_key=definition.get("key", ""),
            method_version=definition.get("version", 1),
            method_definition=definition,
            house_rules=self.house_rules,
            started_by_id=self.person_id,
            started_at=self.started_at,
            closed_at=self.closed_at,
        )


class Vouching(TeamOwned):
    """That somebody may do a test alone, on a coordinator's word: seen at the water, say."""

    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    family = models.CharField(max_length=60)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    words = models.CharField(max_length=200, blank=True)

    class Meta(TeamOwned.Meta):
        ordering = ["-at"]

    def __str__(self) -> str:
        return f"{self.person}: {self.family}"
