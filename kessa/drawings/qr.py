"""The code on a bottle's label."""

import io

import segno
from django.utils.safestring import SafeString, mark_safe


def qr_code(address: str) -> SafeString:
    """Return a QR code (ISO/IEC 18004, a quarter of it may be wetted away) of an address as SVG for the page."""
    out = io.BytesIO()
    segno.make(address, error="q", micro=False).save(
        out, kind="svg", xmldecl=False, svgns=True, svgclass="qr", lineclass=None, omitsize=True, border=2
    )
    # Made by segno from an address of ours: nothing a person wrote is in it.
    return mark_safe(out.getvalue().decode())  # noqa: S308
