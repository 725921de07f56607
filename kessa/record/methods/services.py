"""What a team does with methods of its own: begin, change, publish, retire, take in."""

from typing import Any

from django.core.exceptions import ValidationError
from django.utils import timezone
from django.utils.text import slugify
from pydantic import ValidationError as Unreadable

from kessa.core.checked import faults
from kessa.core.methods import house_methods
from kessa.core.methods.drafts import faults_of, place_in_words, read_file
from kessa.core.methods.kit_numbers import KitNumbers as Numbers
from kessa.core.methods.kit_numbers import with_kit_numbers
from kessa.record.methods import may
from kessa.record.methods.models import KitNumbers, OwnMethod
from kessa.record.methods.selectors import forget_what_was_read
from kessa.record.people.acts import act
from kessa.record.people.models import Membership, Team

_OWN = "own-"
_GONE = "This draft was published or thrown away meanwhile: begin the next version."


@act("method begun", may.write_method)
def begin_draft(by: Membership, definition: dict[str, Any], key: str = "") -> OwnMethod:
    """Begin a draft from a definition: of a new method, or of the next version of the team's own one called `key`.

    A draft of the same method that is there already is taken up again, with the definition given; so is one that was
    begun from the same definition and is as it was then.
    """
    # Two who begin at the same moment do so one after the other.
    Team.objects.select_for_update().get(pk=by.team_id)
    if not key.startswith(_OWN):
        drafts = OwnMethod.objects.for_team(by.team_id).filter(published_at=None, retired_at=None)
        begun = next((draft for draft in drafts if draft.definition == _said(draft, definition)), None)
        key = begun.key if begun else _free_key(by.team_id, str(definition.get("name") or "method"))
    versions = OwnMethod.objects.for_team(by.team_id).select_for_update().filter(key=key)
    draft = versions.filter(published_at=None).first()
    if draft is None:
        last = versions.order_by("-version").first()
        # A method that was exported under a version keeps counting from there.
        version = max(last.version + 1 if last else 1, int(definition.get("version") or 1))
        draft = OwnMethod(team_id=by.team_id, key=key, version=version, written_by_id=by.user_id)
    draft.definition = _said(draft, definition)
    draft.save()
    return draft


@act("draft changed", may.write_method)
def keep_draft(by: Membership, draft: OwnMethod, definition: dict[str, Any]) -> OwnMethod:
    """Keep what a draft says so far; raises ValidationError where it is a draft no more."""
    held = _held(draft)
    held.definition = _said(held, definition)
    held.save(update_fields=["definition", "changed_at"])
    return held


@act("method published", may.write_method)
def publish(by: Membership, draft: OwnMethod) -> OwnMethod:
    """Let the team use a draft from now on; raises ValidationError with everything that is still wrong.

    What is checked is what stands in the database at that moment, and nobody changes it in between.
    """
    held = _held(draft)
    wrong = faults_of(held.definition)
    if wrong:
        raise ValidationError([f"{place_in_words(where)}: {what}" for where, what in wrong])
    held.published_at = timezone.now()
    held.save(update_fields=["published_at", "changed_at"])
    forget_what_was_read()
    return held


@act("draft thrown away", may.write_method)
def throw_away(by: Membership, draft: OwnMethod) -> None:
    """Throw a draft away."""
    _held(draft).delete()


@act("method taken in", may.write_method)
def import_method(by: Membership, text: str) -> OwnMethod:
    """Take in a method file as a draft; raises ValidationError with each fault by line and field."""
    definition, wrong = read_file(text)
    if wrong:
        raise ValidationError(wrong)
    known = OwnMethod.objects.for_team(by.team_id).filter(key=definition["key"], retired_at=None).exists()
    return begin_draft(by, definition, definition["key"] if known else "")


@act("kit's numbers set", may.write_method)
def set_kit_numbers(by: Membership, key: str, numbers: Numbers) -> None:
    """Let a house method go by what the team's kit prints, from now on; none that differs takes them away.

    Raises ValidationError where the method is none with them.
    """
    rows = KitNumbers.objects.for_team(by.team_id)
    if not numbers.differs:
        rows.filter(key=key).delete()
    else:
        try:
            with_kit_numbers(house_methods()[key], numbers)
        except Unreadable as error:
            raise ValidationError([what for _, what in faults(error, "the method")]) from None
        data = {"numbers": numbers.model_dump(mode="json", exclude_defaults=True), "set_by_id": by.user_id}
        rows.update_or_create(team_id=by.team_id, key=key, defaults=data)
    forget_what_was_read()


def retire(team_id: int, key: str) -> None:
    """Take a method of the team's own out of use; what was measured by it stays."""
    OwnMethod.objects.for_team(team_id).filter(key=key).update(retired_at=timezone.now())
    forget_what_was_read()


def _said(draft: OwnMethod, definition: dict[str, Any]) -> dict[str, Any]:
    return definition | {"key": draft.key, "version": draft.version, "family": draft.key}


def _held(draft: OwnMethod) -> OwnMethod:
    rows = OwnMethod.objects.for_team(draft.team_id).select_for_update()
    held: OwnMethod | None = rows.filter(pk=draft.pk, published_at=None, retired_at=None).first()
    if held is None:
        raise ValidationError(_GONE)
    return held


def _free_key(team_id: int, name: str) -> str:
    start = f"{_OWN}{slugify(name)[:40].strip('-') or 'method'}"
    taken = set(OwnMethod.objects.for_team(team_id).filter(key__startswith=start).values_list("key", flat=True))
    return next(key for key in (start, *(f"{start}-{n}" for n in range(2, 10_000))) if key not in taken)
