"""Everything that changes photographs."""

from typing import Any, BinaryIO
from uuid import UUID

from django.db import IntegrityError, transaction
from django.utils import timezone

from kessa.record.people.acts import act
from kessa.record.people.models import Membership
from kessa.record.photographs import may
from kessa.record.photographs.models import Photograph
from kessa.record.photographs.pictures import keep_jpeg, read_picture


@act("photograph added", may.add_photograph)
def add_photograph(
    by: Membership, subject: Any, kind: str, file: BinaryIO, caption: str = "", made_as: UUID | None = None
) -> Photograph:
    """Keep a photograph of a place, visit, sample or determination (`kind`), made anew from its pixels.

    All that the camera wrote into the file is left behind but for the time. `made_as` is the number its browser gave
    it: one that came before, or comes at the same moment, is returned as it is. Raises ValidationError for what is no
    photograph, or has too many pixels.
    """
    same = Photograph.objects.for_team(by.team_id).filter(made_as=made_as)
    if made_as and (before := same.first()):
        return before
    picture, taken_at = read_picture(file)
    photograph = Photograph(
        team_id=by.team_id,
        width=picture.width,
        height=picture.height,
        caption=caption,
        taken_at=taken_at,
        added_by_id=by.user_id,
        added_at=timezone.now(),
        made_as=made_as,
        **{kind: subject},
    )
    keep_jpeg(photograph.image, picture, quality=85)
    try:
        with transaction.atomic():
            photograph.save()
    except IntegrityError:
        photograph.image.delete(save=False)
        if not (before := same.first()):
            raise
        return before
    return photograph


@act("photograph removed", may.remove_photograph)
def remove_photograph(by: Membership, photograph: Photograph) -> None:
    """Remove a photograph and its file."""
    photograph.image.delete(save=False)
    photograph.delete()
