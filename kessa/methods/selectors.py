"""Reads about the methods a team may use."""

import json
import logging
from functools import lru_cache

from asgiref.local import Local
from django.core.signals import request_started
from django.dispatch import receiver
from pydantic import ValidationError

from kessa.core.methods import by_family, house_methods
from kessa.core.methods.schema import Method
from kessa.methods.models import OwnMethod

logger = logging.getLogger("kessa")
# What one request has read already, by team: a page names the methods of many rows.
_read = Local()


@lru_cache(maxsize=2000)
def _checked(definition: str) -> Method:
    return Method.model_validate_json(definition)


def _usable(definition: str) -> Method | None:
    """Return a method, or None where its definition is none any more: that is logged, and the others stay in use."""
    try:
        return _checked(definition)
    except ValidationError as error:
        logger.error("A team's own method cannot be used: %s", error)
        return None


@receiver(request_started)
def forget_what_was_read(**kwargs: object) -> None:
    """Read anew: a request has begun, or a method was changed."""
    _read.methods, _read.families = {}, {}


def methods_of(team_id: int) -> dict[str, Method]:
    """Return the methods a team may use by key: the house's, and the newest version of its own."""
    if not hasattr(_read, "methods"):
        forget_what_was_read()
    if team_id not in _read.methods:
        own = OwnMethod.objects.for_team(team_id).filter(retired_at=None).exclude(published_at=None)
        newest = own.order_by("key", "-version").distinct("key").values_list("definition", flat=True)
        of_team = filter(None, (_usable(json.dumps(definition)) for definition in newest))
        _read.methods[team_id] = house_methods() | {method.key: method for method in of_team}
    return _read.methods[team_id]


def families_of(team_id: int) -> dict[str, list[Method]]:
    """Return the methods a team may use by family, the lowest range of each first."""
    methods = methods_of(team_id)
    if team_id not in _read.families:
        _read.families[team_id] = by_family(methods.values())
    return _read.families[team_id]
