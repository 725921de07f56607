"""What a team does with methods of its own: begin, change, publish, retire, take in."""

from typing import Any

from django.core.exceptions import ValidationError
from django.db import transaction
from django.utils import timezone
from django.utils.text import slugify

from kessa.core.methods.drafts import faults_of, read_file
from kessa.kits.models import Kit
from kessa.methods.models import OwnMethod
from kessa.methods.selectors import forget_what_was_read
from kessa.people.models import Team, User
from kessa.rounds.models import PlannedTest

_OWN = "own-"


@transaction.atomic
def begin_draft(team: Team, person: User, definition: dict[str, Any], key: str = "") -> OwnMethod:
    """Begin a draft from a definition: of a new method, or of the next version of the team's own one called `key`.

    A draft of the same method that is there already is taken up again, with the definition given.
    """
    key = key if key.startswith(_OWN) else _free_key(team, str(definition.get("name") or "method"))
    versions = OwnMethod.objects.for_team(team).filter(key=key)
    draft = versions.filter(published_at=None).first()
    if draft is None:
        last = versions.order_by("-version").first()
        draft = OwnMethod(team=team, key=key, version=last.version + 1 if last else 1, written_by=person)
    return keep_draft(draft, definition)


def keep_draft(draft: OwnMethod, definition: dict[str, Any]) -> OwnMethod:
    """Keep what a draft says so far; raises ValidationError where it is published already."""
    if draft.published_at:
        raise ValidationError("A published version is not changed any more: begin the next one.")
    draft.definition = definition | {"key": draft.key, "version": draft.version, "family": draft.key}
    draft.save()
    return draft


@transaction.atomic
def publish(draft: OwnMethod) -> OwnMethod:
    """Let the team use a draft from now on; raises ValidationError with everything that is still wrong."""
    faults = faults_of(draft.definition)
    if faults:
        raise ValidationError([f"{'.'.join(map(str, where)) or 'The method'}: {what}" for where, what in faults])
    draft.published_at = timezone.now()
    draft.save(update_fields=["published_at", "changed_at"])
    forget_what_was_read()
    return draft


@transaction.atomic
def retire(team: Team, key: str) -> None:
    """Take a method of the team's own out of use, off rounds and kits; what was measured by it stays."""
    OwnMethod.objects.for_team(team).filter(key=key).update(retired_at=timezone.now())
    PlannedTest.objects.for_team(team).filter(family=key).delete()
    for kit in Kit.objects.for_team(team).filter(families__contains=[key]):
        kit.families = [family for family in kit.families if family != key]
        kit.save(update_fields=["families"])
    forget_what_was_read()


def take_in(team: Team, person: User, text: str) -> OwnMethod:
    """Take in a method file as a draft; raises ValidationError with each fault by line and field."""
    definition, faults = read_file(text)
    if faults:
        raise ValidationError(faults)
    known = OwnMethod.objects.for_team(team).filter(key=definition["key"], retired_at=None).exists()
    return begin_draft(team, person, definition, definition["key"] if known else "")


def _free_key(team: Team, name: str) -> str:
    start = f"{_OWN}{slugify(name)[:40].strip('-') or 'method'}"
    taken = set(OwnMethod.objects.for_team(team).filter(key__startswith=start).values_list("key", flat=True))
    return next(key for key in (start, *(f"{start}-{n}" for n in range(2, 10_000))) if key not in taken)
