"""Acts: every write is one. An act asks who may, happens whole, and leaves a row that says what changed."""

import json
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import wraps
from inspect import signature
from types import SimpleNamespace
from typing import Any, NamedTuple, TypeVar

from django.core.exceptions import PermissionDenied, ValidationError
from django.core.serializers.json import DjangoJSONEncoder
from django.db import models, transaction
from django.utils import timezone
from simple_history.models import HistoricalRecords

from kessa.record.people.may import Case, Rule
from kessa.record.people.models import Act, Membership

Answer = TypeVar("Answer")
# What is never written into the log of acts, and how much of a value is.
_SECRET = ("password", "digest", "token", "pin")
_LONGEST = 200


class NotAllowed(PermissionDenied):
    """An act that a member's role does not allow; the message says who may."""


class Known(NamedTuple):
    """An act as it is listed: its name, where it is written, what it is in words, and who may."""

    name: str
    room: str
    what: str
    rule: Rule


ACTS: dict[str, Known] = {}


def act(what: str, may: Rule, *, logged: bool = True) -> Callable[[Callable[..., Answer]], Callable[..., Answer]]:
    """Make a service an act: `what` it is called in the log, `may` the rule that is asked first.

    The service takes the acting member first, then what it is about, by position: of these the rule is asked. It runs
    in one transaction with the row that is left of it. Raises NotAllowed, which leaves a row too. What a machine does
    each second is not `logged`: of it only what is refused leaves a row.
    """

    def decorate(service: Callable[..., Answer]) -> Callable[..., Answer]:
        _check_rule(may, service)
        room = service.__module__.split(".")[2]
        ACTS[f"{room}.{service.__name__}"] = Known(service.__name__, room, what, may)

        @wraps(service)
        def acting(by: Membership, *about: Any, **how: Any) -> Answer:
            row = next((each for each in about if isinstance(each, models.Model)), None)
            why, named = str(how.get("why", "")), _named(row)
            if not may(by, *about):
                _leave(by, what, named, {}, why, refused=True)
                raise NotAllowed(may.refusal)
            before = _stored(row) if logged else {}
            with transaction.atomic(), history_by(by):
                done = service(by, *about, **how)
                if not logged:
                    return done
                subject = done if isinstance(done, models.Model) else row
                # What was taken away goes by the name it had.
                named = _named(subject) if subject is not None and subject.pk is not None else named
                _leave(by, what, named, _changes(before, subject), why)
            return done

        return acting

    return decorate


def _check_rule(may: Rule, service: Callable[..., Any]) -> None:
    """Raise TypeError, when Kessa starts, where a case of a rule cannot be asked with what its act is about."""
    about = [each for each in signature(service).parameters.values() if each.kind is each.POSITIONAL_OR_KEYWORD]
    for case in (may.volunteer, may.technician, may.coordinator):
        if isinstance(case, Case):
            try:
                signature(case.holds).bind(*about)
            except TypeError as fault:
                raise TypeError(f"{service.__name__}: the rule “{case.words}” cannot be asked: {fault}") from None


@contextmanager
def history_by(by: Membership) -> Iterator[None]:
    """Let the history that rows keep of themselves name the acting member."""
    outer = getattr(HistoricalRecords.context, "request", None)
    HistoricalRecords.context.request = SimpleNamespace(user=by.user)
    try:
        yield
    finally:
        HistoricalRecords.context.request = outer


def _stored(row: models.Model | None) -> dict[str, Any]:
    """What the database holds of a row that is there already."""
    if row is None or row._state.adding:
        return {}
    manager: Any = row._meta.base_manager
    return manager.filter(pk=row.pk).values().first() or {}


def _changes(before: dict[str, Any], row: models.Model | None) -> dict[str, list[Any]]:
    """Return what changed in a row, by field: before and after. Of a new row nothing: the row itself says it."""
    if row is None or not before or row.pk != before.get("id"):
        return {}
    after = {field.attname: getattr(row, field.attname) for field in row._meta.concrete_fields}
    changed = (name for name in after if name not in _SECRET and before.get(name) != after[name])
    return {name: [_short(before.get(name)), _short(after[name])] for name in changed}


def _short(value: Any) -> Any:
    """Return a value as JSON keeps it, cut where it is long."""
    plain = json.loads(json.dumps(value, cls=DjangoJSONEncoder, default=str))
    return plain if len(str(plain)) <= _LONGEST else f"{str(plain)[:_LONGEST]}…"


class _Named(NamedTuple):
    kind: str = ""
    id: str = ""
    words: str = ""


def _named(row: models.Model | None) -> _Named:
    if row is None:
        return _Named()
    return _Named(str(row._meta.verbose_name), "" if row.pk is None else str(row.pk), str(row)[:_LONGEST])


def refused(by: Membership, what: str, row: models.Model | None = None, why: str = "") -> None:
    """Leave the row of an act that was refused outside of any service."""
    _leave(by, what, _named(row), {}, why, refused=True)


def noted(by: Membership, what: str, row: models.Model | None, changes: dict[str, list[Any]], why: str) -> None:
    """Leave the row of what was done outside the record: of what was on a phone and never came into it."""
    _leave(by, what, _named(row), {name: [_short(each) for each in pair] for name, pair in changes.items()}, why)


def _leave(by: Membership, what: str, on: _Named, changes: dict[str, Any], why: str, *, refused: bool = False) -> None:
    Act.objects.create(
        team_id=by.team_id,
        person_id=by.user_id,
        at=timezone.now(),
        what=what,
        on_kind=on.kind,
        on_id=on.id,
        on_words=on.words,
        changes=changes,
        why=why[:300],
        refused=refused,
    )


def require_reason(why: str) -> None:
    """Raise ValidationError where no reason is given."""
    if not why.strip():
        raise ValidationError("Say why, in up to 300 characters: the reason stays with the result.")
