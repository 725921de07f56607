"""Pictures that come in, are kept and go out: what is none is refused, and only its pixels and its time go on."""

import io
import secrets
import threading
from datetime import datetime, timedelta
from typing import Any, BinaryIO

from django.core.exceptions import ValidationError
from django.core.files.base import ContentFile
from django.http import FileResponse, Http404
from django.utils import timezone
from PIL import Image, ImageCms, ImageOps, UnidentifiedImageError

# A JPEG is read at half or a quarter of its size where that is enough; others are read whole.
_MOST_PIXELS = {"JPEG": 120_000_000, "PNG": 25_000_000, "WEBP": 25_000_000}
_LONGEST_EDGE = 2000
_TAKEN_TAGS = (0x9003, 0x0132)  # Exif 2.3: DateTimeOriginal, DateTime
_EXIF = 0x8769
_FIRST_CAMERAS = 1990
# A large picture takes much memory while it is read.
_one_at_a_time = threading.Lock()


def read_picture(file: BinaryIO) -> tuple[Image.Image, datetime | None]:
    """Return a picture made anew from its pixels, and when it was taken; raises ValidationError for what is none."""
    try:
        picture = Image.open(file, formats=tuple(_MOST_PIXELS))
        if picture.width * picture.height > _MOST_PIXELS[str(picture.format)]:
            raise ValidationError("This picture has too many pixels: make it smaller first.")
        taken_at = _taken_at(picture.getexif())
        with _one_at_a_time:
            picture.thumbnail((_LONGEST_EDGE, _LONGEST_EDGE))
            plain = _in_srgb(ImageOps.exif_transpose(picture))
            # Only the pixels go on: no metadata, no colour profile, nothing appended.
            clean = Image.new("RGB", plain.size)
            clean.paste(plain)
        return clean, taken_at
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError, EOFError):
        raise ValidationError("This is no photograph Kessa can read: JPEG, PNG or WebP.") from None


def keep_jpeg(field: Any, picture: Image.Image, quality: int) -> None:
    """Write a picture as the file of a row not yet saved, under a name that tells nothing and cannot be guessed."""
    out = io.BytesIO()
    picture.save(out, "JPEG", quality=quality, optimize=True)
    field.save(f"{secrets.token_urlsafe(16)}.jpg", ContentFile(out.getvalue()), save=False)


def served(kept: Any) -> FileResponse:
    """Return a kept picture as it goes to a browser; raises Http404 where its file is gone."""
    try:
        response = FileResponse(kept.open("rb"), content_type="image/jpeg")
    except FileNotFoundError:
        raise Http404 from None
    response["Cache-Control"] = "private, max-age=86400"
    # It is compressed already.
    response["Content-Encoding"] = "identity"
    return response


def _in_srgb(picture: Image.Image) -> Image.Image:
    """Return a picture's colours as every screen means them: those of a wide-gamut phone are converted, not cut off."""
    profile = picture.info.get("icc_profile")
    if not profile:
        return picture.convert("RGB")
    try:
        source = ImageCms.ImageCmsProfile(io.BytesIO(profile))
        plain = picture if picture.mode in ("RGB", "CMYK", "L") else picture.convert("RGB")
        converted = ImageCms.profileToProfile(plain, source, ImageCms.createProfile("sRGB"), outputMode="RGB")
    except ImageCms.PyCMSError:
        return picture.convert("RGB")
    return converted or picture.convert("RGB")


def _taken_at(exif: Image.Exif) -> datetime | None:
    for value in (exif.get_ifd(_EXIF).get(_TAKEN_TAGS[0]), exif.get(_TAKEN_TAGS[1])):
        try:
            taken = timezone.make_aware(datetime.strptime(str(value).strip("\0 "), "%Y:%m:%d %H:%M:%S"))
        except (ValueError, OverflowError):
            continue
        # A camera whose clock was lost says nothing.
        if taken.year >= _FIRST_CAMERAS and taken <= timezone.now() + timedelta(days=1):
            return taken
    return None
