"""Opening pages to everybody, and closing them."""

import secrets

from django.core.cache import cache
from django.core.exceptions import ValidationError
from django.utils import timezone
from django.utils.text import slugify

from kessa.record.people.acts import act
from kessa.record.people.models import Membership, Team
from kessa.record.places.models import Place
from kessa.record.public import may
from kessa.record.public.models import Page


@act("public page opened", may.open_page)
def open_page(by: Membership, team: Team, place: Place | None, words: str) -> Page:
    """Open a place, or the team with all its open places, to everybody; one that was open once keeps its address."""
    if place is not None and place.team_id != team.pk:
        raise ValidationError("This place is not of your team.")
    page: Page | None = Page.objects.for_team(team).select_for_update().filter(place=place).first()
    if page is None:
        name = slugify(str(place or team))[:60] or "water"
        page = Page(team=team, place=place, slug=f"{name}-{secrets.token_hex(3)}")
    page.words, page.opened_by_id, page.opened_at, page.closed_at = words[:600], by.user_id, timezone.now(), None
    page.save()
    forget_pages(team.pk)
    return page


@act("public page closed", may.close_page)
def close_page(by: Membership, page: Page) -> Page:
    """Close a page: its address leads nowhere from now on."""
    page.closed_at = timezone.now()
    page.save(update_fields=["closed_at"])
    forget_pages(page.team_id)
    return page


def forget_pages(team: int) -> None:
    """Let the pages of a team be made anew when they are next asked for."""
    cache.delete_many([kept_as(slug) for slug in Page.objects.for_team(team).values_list("slug", flat=True)])


def kept_as(slug: str) -> str:
    """Return under which name a page is kept for the next who asks."""
    return f"public-page:{slug}"
