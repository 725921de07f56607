"""Pads read from a picture: a value proposed for each with how sure it is, or the reason why none is."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from kessa.core.colours.difference import difference
from kessa.core.colours.lab import Lab, mixed
from kessa.core.colours.match import CONFIDENT, Match, Step, match
from kessa.core.pictures.card import MARK, MARKS
from kessa.core.pictures.light import Light, light_over
from kessa.core.pictures.placing import Array, Point, Spot, at, plane, spot
from kessa.core.readings.card_steps import place_on

# What a picture must be: pixels a mm of the card, even light, not burnt out, patches told right, sharp edges (mm).
_FINE, _UNEVEN, _BURNT, _OFF, _BLUR = 2.2, 3.2, 0.08, 6.5, 1.4
# What a pad must be: not burnt out, even, within the light that the card was in.
_CLIPPED, _SCATTER = 0.12, 0.22
# So far off in steps may a value be to either side before it is no answer.
_SURE = 0.75


class Refused(NamedTuple):
    """Why a picture or a pad is not read: by key, and what to do about it in words."""

    key: str
    words: str


class Proposal(NamedTuple):
    """What a pad was read as; `refused` is why it is not, or is not sure.

    `low` and `high` are between which values the colour may well lie, `lab` the pad's colour in plain daylight.
    """

    lab: Lab | None
    value: float | None = None
    between: tuple[float, float] | None = None
    low: float | None = None
    high: float | None = None
    distance: float | None = None
    confident: bool = False
    refused: Refused | None = None


class Read(NamedTuple):
    """A picture as it was read: pads in order, or why it is refused as a whole."""

    pads: tuple[Proposal, ...]
    refused: Refused | None = None


class Pad(NamedTuple):
    """A pad to be read: where its middle lies on the card and how wide it is, in mm, and the steps it is matched to.

    `late_s` and `early_s` are by how many seconds the picture was taken too late or too early for it.
    """

    x: float
    y: float
    side: float
    chart: Sequence[Step]
    late_s: float = 0.0
    early_s: float = 0.0


def read_pads(picture: NDArray[np.uint8], corners: Sequence[Point], pads: Sequence[Pad]) -> Read:
    """Read pads beside the reference card in a picture (height, width, 3 sRGB levels); `corners` are its four marks.

    Nothing is read from a picture that is too small, blurred, burnt out, or unevenly lit. Raises CannotCompute on
    `corners` where they are none, or the card is cut off.
    """
    to_picture = plane(corners)
    refused = _too_coarse(picture, to_picture)
    if refused:
        return Read((), refused)
    light = light_over(picture, to_picture)
    refused = _badly_lit(light)
    if refused:
        return Read((), refused)
    return Read(tuple(_pad(picture, to_picture, light, each) for each in pads))


def learn_steps(
    picture: NDArray[np.uint8], corners: Sequence[Point], places: Sequence[Point], side: float
) -> tuple[list[Lab], Refused | None]:
    """Return the colours of a kit's own steps laid beside the card, at places in mm; none where it is refused."""
    read = read_pads(picture, corners, [Pad(x, y, side, ()) for x, y in places])
    refused = read.refused or next((each.refused for each in read.pads if each.refused), None)
    return ([], refused) if refused else ([each.lab for each in read.pads if each.lab], None)


def _too_coarse(picture: NDArray[np.uint8], to_picture: Array) -> Refused | None:
    if _scale(to_picture) < _FINE:
        return Refused("small", "The card is too small in the picture: go nearer, so that it fills the guide.")
    if _edge_mm(picture, to_picture) > _BLUR:
        return Refused("blur", "The picture is blurred: hold still, let the camera find its focus, and take it again.")
    return None


def _scale(to_picture: Array) -> float:
    """Return how many pixels a mm of the card has, where it has the fewest."""
    corners = at(to_picture, np.array(MARKS))
    sides = [np.hypot(*(corners[(n + 1) % 4] - corners[n])) for n in range(4)]
    real = [np.hypot(*(np.subtract(MARKS[(n + 1) % 4], MARKS[n]))) for n in range(4)]
    return float(min(side / mm for side, mm in zip(sides, real, strict=True)))


def _edge_mm(picture: NDArray[np.uint8], to_picture: Array) -> float:
    """Return how wide the marks' edges are, in mm: from a tenth to nine tenths of the way from black to white."""
    widths = []
    distances = np.linspace(-2.2, 2.6, 49)
    for x, y in MARKS:
        for dx, dy in ((1, 0), (-1, 0), (0, 1), (0, -1)):
            # Across the outer edge, beside the hole.
            line = np.column_stack([x + dx * (MARK / 2 + distances), y + dy * (MARK / 2 + distances)])
            where = np.rint(at(to_picture, line)).astype(int)
            height, width = picture.shape[:2]
            if (where < 0).any() or (where[:, 0] >= width).any() or (where[:, 1] >= height).any():
                continue
            levels = picture[where[:, 1], where[:, 0]].mean(axis=1)
            low, high = np.quantile(levels, 0.1), np.quantile(levels, 0.9)
            if high - low < 30:
                continue
            inner = distances[levels < low + 0.15 * (high - low)]
            outer = distances[levels > low + 0.85 * (high - low)]
            widths.append(max(outer[0] - inner[-1], 0.0))
    return float(np.median(widths)) if widths else 9.0


def _badly_lit(light: Light) -> Refused | None:
    if light.burnt > _BURNT:
        return Refused("burnt", "Part of the card is burnt out or black: no flash, no sun on it, and take it again.")
    if light.uneven > _UNEVEN:
        return Refused("shade", "A shade lies over the card, or the light falls off too far: turn so that it is even.")
    if light.off > _OFF:
        return Refused(
            "light", "The card's own colours are not told right in this light: by daylight, away from lamps."
        )
    return None


def _pad(picture: NDArray[np.uint8], to_picture: Array, light: Light, pad: Pad) -> Proposal:
    seen = spot(picture, to_picture, pad.x, pad.y, pad.side * 0.6)
    lab = light.lab(seen, pad.x, pad.y)
    refused = _of_pad(seen, pad)
    if refused:
        return Proposal(lab, refused=refused)
    if not pad.chart:
        return Proposal(lab)
    found = match(pad.chart, lab)
    low, high = _may_be(pad.chart, lab, found, light.off)
    steps = [step.value for step in pad.chart]
    here = place_on(steps, found.value)
    sure = max(here - place_on(steps, low), place_on(steps, high) - here) <= _SURE
    if found.distance > CONFIDENT:
        refused = Refused("colour", "This colour is not on the card: is it the right pad, and the right place?")
    elif not sure:
        refused = Refused("unsure", "The card's steps lie too near one another to be told apart here: the eye decides.")
    return Proposal(lab, found.value, found.between, low, high, found.distance, refused is None, refused)


def _of_pad(seen: Spot, pad: Pad) -> Refused | None:
    if pad.late_s > 0:
        return Refused("late", f"Taken {pad.late_s:.0f} s too late for this pad: its colour has gone on.")
    if pad.early_s > 0:
        return Refused("early", f"Taken {pad.early_s:.0f} s too early for this pad: its colour is not there yet.")
    if seen.clipped > _CLIPPED:
        return Refused("glare", "Light glares on this pad: tilt it, or turn away from the lamp.")
    if seen.scatter > _SCATTER:
        return Refused("uneven", "This pad is not of one colour: is the frame on it, is it wholly wet?")
    return None


def _may_be(chart: Sequence[Step], lab: Lab, found: Match, off: float) -> tuple[float, float]:
    """Return between which values a colour that is off by so much may well lie: where the chart is hardly farther."""
    near = found.distance + max(off, 1.0) * 0.5
    values = [found.value]
    for low, high in pairwise(chart):
        for n in range(21):
            if difference(mixed(low.lab, high.lab, n / 20), lab) <= near:
                values.append(low.value + (high.value - low.value) * n / 20)
    return min(values), max(values)
