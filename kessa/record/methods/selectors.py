"""Reads about the methods a team may use."""

import json
import logging
from functools import lru_cache
from typing import Any

from asgiref.local import Local
from django.core.signals import request_started
from django.dispatch import receiver
from pydantic import ValidationError

from kessa.core.methods import by_family, house_methods
from kessa.core.methods.drafts import in_ranges
from kessa.core.methods.kit_numbers import KitNumbers as Numbers
from kessa.core.methods.kit_numbers import with_kit_numbers
from kessa.core.methods.schema import Method
from kessa.record.compiled import compiled
from kessa.record.methods.models import KitNumbers, OwnMethod

logger = logging.getLogger("kessa")
# What one request has read already, by team: a page names the methods of many rows.
_read = Local()


@lru_cache(maxsize=2000)
def _checked(definition: str) -> list[Method]:
    return [Method.model_validate(each) for each in in_ranges(json.loads(definition))]


def _usable(definition: str) -> list[Method]:
    """Return a method in its ranges, or none where its definition is none any more: logged, the others stay in use."""
    try:
        return _checked(definition)
    except ValidationError as error:
        logger.error("A team's own method cannot be used: %s", error)
        return []


@lru_cache(maxsize=2000)
def _with_numbers(key: str, numbers: str) -> Method:
    """Return a house method with a kit's numbers; as the house has it where they fit it no more, which is logged."""
    house = house_methods()[key]
    try:
        return with_kit_numbers(house, Numbers.model_validate_json(numbers))
    except ValidationError as error:
        logger.error("A kit's own numbers of %s cannot be used: %s", key, error)
        return house


@receiver(request_started)
def forget_what_was_read(**kwargs: object) -> None:
    """Read anew: a request has begun, or a method was changed."""
    _read.methods, _read.families = {}, {}


def methods_of(team_id: int) -> dict[str, Method]:
    """Return the methods a team may use by key: the house's, and the newest version of its own."""
    if not hasattr(_read, "methods"):
        forget_what_was_read()
    if team_id not in _read.methods:
        of_team = (method for definition in _own(team=team_id) for method in _usable(json.dumps(definition)))
        rows = _kit_numbers(team=team_id)
        changed = {key: _with_numbers(key, json.dumps(numbers)) for key, numbers in rows if key in house_methods()}
        _read.methods[team_id] = house_methods() | changed | {method.key: method for method in of_team}
    return _read.methods[team_id]


@compiled
def _own(team: int) -> Any:
    own = OwnMethod.objects.for_team(team).filter(retired_at=None).exclude(published_at=None)
    return own.order_by("key", "-version").distinct("key").values_list("definition", flat=True)


@compiled
def _kit_numbers(team: int) -> Any:
    return KitNumbers.objects.for_team(team).values_list("key", "numbers")


def families_of(team_id: int) -> dict[str, list[Method]]:
    """Return the methods a team may use by family, the lowest range of each first."""
    methods = methods_of(team_id)
    if team_id not in _read.families:
        _read.families[team_id] = by_family(methods.values())
    return _read.families[team_id]


def newest_own(team_id: int, method: Method) -> OwnMethod | None:
    """Return the newest version of a team's own method of which this is a range; None of a house method."""
    rows = OwnMethod.objects.for_team(team_id).filter(key=method.family).exclude(published_at=None)
    return rows.order_by("-version").first()


def out_of_use(team_id: int, key: str) -> Method | None:
    """Return a method that was the team's own once, by the key of one of its ranges."""
    rows = OwnMethod.objects.for_team(team_id).exclude(published_at=None).order_by("-version")
    known = (method for row in rows for method in _usable(json.dumps(row.definition)))
    return next((method for method in known if method.key == key), None)
