"""Everything that changes photographs."""

import io
import secrets
from datetime import datetime
from typing import Any, BinaryIO

from django.core.exceptions import ValidationError
from django.core.files.base import ContentFile
from django.utils import timezone
from PIL import Image, ImageOps, UnidentifiedImageError

from kessa.people.models import User
from kessa.photographs.models import Photograph

_MOST_PIXELS = 60_000_000
_LONGEST_EDGE = 2000
_FORMATS = ("JPEG", "PNG", "WEBP")
_TAKEN_TAGS = (0x9003, 0x0132)  # Exif 2.3: DateTimeOriginal, DateTime
_EXIF = 0x8769


def add_photograph(subject: Any, kind: str, file: BinaryIO, person: User, caption: str = "") -> Photograph:
    """Keep a photograph of a place, visit, sample or determination (`kind`), made anew from its pixels.

    All that the camera wrote into the file is left behind but for the time. Raises ValidationError for what is no
    photograph, or has too many pixels.
    """
    picture, taken_at = _read(file)
    out = io.BytesIO()
    picture.save(out, "JPEG", quality=85, optimize=True)
    photograph = Photograph(
        team=subject.team,
        width=picture.width,
        height=picture.height,
        caption=caption,
        taken_at=taken_at,
        added_by=person,
        added_at=timezone.now(),
        **{kind: subject},
    )
    photograph.image.save(f"{secrets.token_urlsafe(16)}.jpg", ContentFile(out.getvalue()), save=False)
    photograph.save()
    return photograph


def remove_photograph(photograph: Photograph) -> None:
    """Remove a photograph and its file."""
    photograph.image.delete(save=False)
    photograph.delete()


def _read(file: BinaryIO) -> tuple[Image.Image, datetime | None]:
    try:
        picture = Image.open(file, formats=_FORMATS)
        if picture.width * picture.height > _MOST_PIXELS:
            raise ValidationError("This picture has too many pixels: make it smaller first.")
        taken_at = _taken_at(picture.getexif())
        upright = ImageOps.exif_transpose(picture)
        plain = upright.convert("RGB")
        plain.thumbnail((_LONGEST_EDGE, _LONGEST_EDGE))
        # Only the pixels go on: no metadata, no colour profile, nothing appended.
        clean = Image.new("RGB", plain.size)
        clean.paste(plain)
        return clean, taken_at
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError, EOFError):
        raise ValidationError("This is no photograph Kessa can read: JPEG, PNG or WebP.") from None


def _taken_at(exif: Image.Exif) -> datetime | None:
    for value in (exif.get_ifd(_EXIF).get(_TAKEN_TAGS[0]), exif.get(_TAKEN_TAGS[1])):
        try:
            return timezone.make_aware(datetime.strptime(str(value).strip("\0 "), "%Y:%m:%d %H:%M:%S"))
        except (ValueError, OverflowError):
            continue
    return None
