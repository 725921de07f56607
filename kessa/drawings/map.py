"""A map without tiles: places by their coordinates, a line along each water, a name beside each dot."""

import math
from collections.abc import Sequence
from functools import lru_cache
from html import escape
from typing import Any, NamedTuple

from django.urls import reverse
from django.utils.safestring import SafeString, mark_safe

_EDGE, _ROW, _LETTER, _AWAY = 28, 17, 7.4, 11
# So often a name is moved on by a third of a row.
_TRIES = 18
# So often it steps aside for other dots.
_STEPS = 4
_GLYPHS = {"inside": "inside", "close": "close", "outside": "outside", "not settled": "unsettled"}
# A map that is taller than a screen is none: less on a desk than its width would allow.
_MOST_TALL, _ON_PHONE = 560.0, 460.0
# Places nearer than this stand on one spot, in degrees of latitude: about 20 m.
_SPOT = 0.0002


class Spot(NamedTuple):
    """What a map shows of a place; `order` is where it stands along its water, None where it stands along none."""

    pk: int
    name: str
    latitude: float
    longitude: float
    order: float | None
    verdict: str


class Dot(NamedTuple):
    """A place on the map, where its name stands, and on which side of the dot."""

    place: Spot
    x: float
    y: float
    label_x: float
    label_y: float | None
    end: bool


def draw_map(places: Sequence[Any], width: int) -> SafeString:
    """Draw places that have coordinates, each by its `latest` result; each leads to its page."""
    spots = (
        Spot(
            place.pk,
            place.name,
            place.latitude,
            place.longitude,
            place.facts.get("order"),
            place.latest.verdict if place.latest else "",
        )
        for place in places
    )
    return _drawn(tuple(spots), width)


# Where names go takes long to find out, and mostly no place has moved since.
@lru_cache(maxsize=64)
def _drawn(spots: tuple[Spot, ...], width: int) -> SafeString:
    dots, height = _laid_out(spots, width)
    parts = []
    page = reverse("places:place", args=[0]).removesuffix("0/")
    water = sorted((dot for dot in dots if dot.place.order), key=lambda dot: dot.place.order or 0)
    if len(water) > 1:
        line = " ".join(f"{dot.x},{dot.y}" for dot in water)
        parts.append(f'<polyline class="water" points="{line}"/>')
    for dot in dots:
        verdict = dot.place.verdict
        given = verdict or "not assessed"
        at, anchor = dot.label_x, "end" if dot.end else "start"
        named = (
            f'<line class="lead" x1="{dot.x}" y1="{dot.y}" x2="{at}" y2="{dot.label_y}"/>'
            f'<text class="{anchor}" x="{at}" y="{dot.label_y}" dy="4">{escape(_short(dot.place.name, width))}</text>'
        )
        parts.append(
            f'<a href="{page}{dot.place.pk}/" aria-label="{escape(dot.place.name)}: {given}">'
            f"{_glyph(dot, verdict)}{'' if dot.label_y is None else named}</a>"
        )
    return mark_safe(  # noqa: S308 # names are escaped, the rest are numbers and words of ours
        f'<svg class="map" viewBox="0 0 {width} {height}" role="group" aria-label="Map of the places">'
        f"{''.join(parts)}</svg>"
    )


def _glyph(dot: Dot, verdict: str) -> str:
    """A verdict is told by shape as well as by colour."""
    glyph = _GLYPHS.get(verdict, "none")
    shapes = {
        "outside": f'<path d="M{dot.x - 8} {dot.y + 7} L{dot.x} {dot.y - 8} L{dot.x + 8} {dot.y + 7} Z"/>',
        "unsettled": f'<rect x="{dot.x - 7}" y="{dot.y - 7}" width="14" height="14"/>',
        "close": f'<path d="M{dot.x} {dot.y - 9} L{dot.x + 9} {dot.y} L{dot.x} {dot.y + 9} L{dot.x - 9} {dot.y} Z"/>',
    }
    circle = f'<circle cx="{dot.x}" cy="{dot.y}" r="7"/>'
    return f'<g class="spot {glyph}">{shapes.get(glyph, circle)}</g>'


def _short(name: str, width: int) -> str:
    longest = 38 if width > 600 else 20
    return name if len(name) <= longest else f"{name[: longest - 1]}…"


def _laid_out(places: Sequence[Spot], width: int) -> tuple[list[Dot], int]:
    """Place dots true to shape, north up; names that would overlap move down."""
    latitudes, longitudes = [p.latitude for p in places], [p.longitude for p in places]
    north, south, west, east = max(latitudes), min(latitudes), min(longitudes), max(longitudes)
    narrowing = max(math.cos(math.radians((north + south) / 2)), 0.01)
    across, down = max((east - west) * narrowing, _SPOT), max(north - south, _SPOT)
    inner = width - 2 * _EDGE
    most = _MOST_TALL if width > 600 else _ON_PHONE
    scale = min(inner / across, most / down)
    tall = down * scale
    left = _EDGE + (inner - across * scale) / 2
    ordered = sorted(places, key=lambda each: (-each.latitude, each.longitude))
    spots = [
        (
            round(left + (each.longitude - west) * narrowing * scale, 1),
            round(_EDGE + (north - each.latitude) * scale, 1),
        )
        for each in ordered
    ]
    # Only dots about as high as a name stand in its way.
    bands: dict[int, set[tuple[float, float]]] = {}
    for spot in spots:
        bands.setdefault(int(spot[1] // _ROW), set()).add(spot)
    dots: list[Dot] = []
    taken: dict[int, list[tuple[float, float, float]]] = {}
    for place, (x, y) in zip(ordered, spots, strict=True):
        end = x > width * 0.55
        wide = len(_short(place.name, width)) * _LETTER
        label_x: float = x - _AWAY if end else x + _AWAY
        label_y = y
        # Clear of other dots, then of other names.
        band = int(y // _ROW)
        near = [spot for n in (band - 1, band, band + 1) for spot in bands.get(n, ()) if abs(spot[1] - y) < _ROW]
        for _ in range(_STEPS):
            if any(spot != (x, y) and abs(spot[0] - label_x) < _AWAY for spot in near):
                label_x += -_AWAY if end else _AWAY
        from_ = label_x - wide if end else label_x
        for _ in range(_TRIES):
            row = int(label_y // _ROW)
            by_it = (name for n in (row - 1, row, row + 1) for name in taken.get(n, ()))
            if not any(abs(label_y - at) < _ROW and from_ < to and from_ + wide > since for at, since, to in by_it):
                taken.setdefault(row, []).append((label_y, from_, from_ + wide))
                break
            label_y = round(label_y + _ROW / 3, 1)
        else:
            # Too many on one spot: the list beneath names them all.
            dots.append(Dot(place, x, y, label_x, None, end))
            continue
        dots.append(Dot(place, x, y, label_x, label_y, end))
    height = round(max(_EDGE * 2 + tall, max(dot.label_y or dot.y for dot in dots) + _EDGE))
    return dots, height
