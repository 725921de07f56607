"""Everything that changes the rules: the house rules, and the team's own sets of limits."""

import tomllib
from collections.abc import Mapping
from typing import Any

from django.core.exceptions import ValidationError
from django.dispatch import Signal
from django.utils import timezone
from django.utils.text import slugify
from pydantic import ValidationError as Unreadable

from kessa.core.checked import faults
from kessa.core.job.schools import complete
from kessa.core.judging.limits import RuleSet
from kessa.record.people.acts import act
from kessa.record.people.models import Membership, Team
from kessa.record.rules import may
from kessa.record.rules.models import HouseRules, OwnRuleSet
from kessa.record.rules.selectors import OWN, is_own

_GONE = "This draft was kept or thrown away meanwhile: begin the next version."
# A set whose limits are still to be written: its other words are asked for first.
_KEY_LONGEST = 36
# Sent where another version of a set counts from now on; in the same transaction.
published = Signal()


@act("house rules chosen", may.choose_house_rules)
def choose_house_rules(
    by: Membership,
    rules: HouseRules,
    schools: Mapping[str, str],
    *,
    ice_rule: str = "",
    flood_rule: str = "",
    never_alone: bool = False,
    public_words: Mapping[str, str] | None = None,
) -> HouseRules:
    """Choose how the team works from now on; determinations that have begun keep the rules they began with."""
    chosen = {
        "schools": complete(schools),
        "ice_rule": ice_rule,
        "flood_rule": flood_rule,
        "never_alone": never_alone,
        "public_words": dict(public_words or {}),
    }
    kept, _ = HouseRules.objects.for_team(by.team_id).update_or_create(team_id=by.team_id, defaults=chosen)
    return kept


@act("rule set begun", may.write_rule_set)
def begin_set(by: Membership, definition: Mapping[str, Any], key: str = "") -> OwnRuleSet:
    """Begin a draft from a definition: of a new set, or of the next version of the team's own one called `key`.

    A draft of the same set that is there already is taken up again as it stands.
    """
    # Two who begin at the same moment do so one after the other.
    Team.objects.select_for_update().get(pk=by.team_id)
    key = key if is_own(key) else _free_key(by.team_id, str(definition.get("title") or "set"))
    versions = OwnRuleSet.objects.for_team(by.team_id).select_for_update().filter(key=key)
    draft: OwnRuleSet | None = versions.filter(published_at=None).first()
    if draft:
        return draft
    last = versions.order_by("-version").first()
    draft = OwnRuleSet(team_id=by.team_id, key=key, version=last.version + 1 if last else 1, written_by_id=by.user_id)
    draft.definition = _said(draft, definition)
    draft.save()
    return draft


def _free_key(team_id: int, title: str) -> str:
    stem = f"{OWN}{slugify(title)[:_KEY_LONGEST].strip('-') or 'set'}"[:_KEY_LONGEST]
    taken = set(OwnRuleSet.objects.for_team(team_id).filter(key__startswith=stem).values_list("key", flat=True))
    return next(key for n in range(1, len(taken) + 2) if (key := stem if n == 1 else f"{stem}-{n}") not in taken)


def _said(draft: OwnRuleSet, definition: Mapping[str, Any]) -> dict[str, Any]:
    """Return a definition under the draft's own key and version; of whom the law is stays with the law."""
    kept = {name: value for name, value in definition.items() if name not in ("kinds", "feeds", "without", "between")}
    return {**kept, "key": draft.key, "version": draft.version, "role": "programme", "everywhere": False}


@act("rule set changed", may.write_rule_set)
def keep_set(by: Membership, draft: OwnRuleSet, definition: Mapping[str, Any]) -> OwnRuleSet:
    """Keep what a draft says so far; raises ValidationError where it is a draft no more."""
    held = _held(draft)
    held.definition = _said(held, definition)
    held.save(update_fields=["definition", "changed_at"])
    return held


@act("rule set published", may.write_rule_set)
def publish_set(by: Membership, draft: OwnRuleSet, *, why: str) -> OwnRuleSet:
    """Let results be judged by a draft from now on; raises ValidationError with everything that is still wrong.

    Old verdicts stay as judged.
    """
    if not why.strip():
        raise ValidationError("Say why it is as it is, or what has changed: the reason stays with the version.")
    held = _held(draft)
    wrong = faults_of(held.definition)
    if wrong:
        raise ValidationError(wrong)
    held.why, held.published_at = why[:300], timezone.now()
    held.save(update_fields=["why", "published_at", "changed_at"])
    published.send(OwnRuleSet, team=held.team_id, key=held.key)
    return held


@act("rule set thrown away", may.write_rule_set)
def throw_away_set(by: Membership, draft: OwnRuleSet) -> None:
    """Throw a draft away."""
    _held(draft).delete()


@act("rule set retired", may.write_rule_set)
def retire_set(by: Membership, newest: OwnRuleSet) -> OwnRuleSet:
    """Offer a set to no further place; those that are judged by it go on being so."""
    newest.retired_at = timezone.now()
    newest.save(update_fields=["retired_at"])
    return newest


@act("rule set taken in", may.write_rule_set)
def import_set(by: Membership, text: str) -> OwnRuleSet:
    """Take in a file as a draft of a set; raises ValidationError with each fault."""
    try:
        definition = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        raise ValidationError(f"This is no TOML: {error}") from None
    key = str(definition.get("key") or "")
    known = OwnRuleSet.objects.for_team(by.team_id).filter(key=key).exists()
    wrong = faults_of({**definition, "key": "taken-in", "version": 1})
    if wrong:
        raise ValidationError(wrong)
    return begin_set(by, definition, key if known else "")


def faults_of(definition: Mapping[str, Any]) -> list[str]:
    """Return what is wrong with a definition, in words; a set without any limit judges nothing."""
    try:
        found = RuleSet.model_validate(definition)
    except Unreadable as error:
        return [f"{_where(place)}{what}" for place, what in faults(error, "set")]
    return [] if found.limits else ["It holds no limit yet: add one."]


def _where(place: tuple[str | int, ...]) -> str:
    number = next((each for each in place if isinstance(each, int)), None)
    return f"Limit {number + 1}: " if number is not None else ""


def _held(draft: OwnRuleSet) -> OwnRuleSet:
    rows = OwnRuleSet.objects.for_team(draft.team_id).select_for_update()
    found: OwnRuleSet | None = rows.filter(pk=draft.pk, published_at=None).first()
    if found is None:
        raise ValidationError(_GONE)
    return found
