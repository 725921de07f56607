"""The light of a picture, learnt from the card's known patches, and colours as they are without it."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from kessa.core.colours.difference import difference
from kessa.core.colours.lab import Lab, lab_of_light, light_of_lab
from kessa.core.pictures.card import PAPER, PATCH, PATCHES, TALL, WIDE
from kessa.core.pictures.placing import Array, Spot, spot

_LEAST = 1e-4


class Light(NamedTuple):
    """How a camera saw the card: the light over it by channel, and what its channels make of colours.

    `off` is how far patches are off after all is put right, each told by the others (CIEDE2000, 19 in 20);
    `uneven` the brightest part of the card against the darkest, `burnt` the share of patches that are burnt out.
    """

    over_card: Array
    channels: Array
    off: float
    uneven: float
    burnt: float

    def lab(self, seen: Spot, x: float, y: float) -> Lab:
        """Return the colour of a place of the card, as it is in plain daylight."""
        even = seen.light / np.exp(_terms(x, y) @ self.over_card)
        return _as_lab(_mixed(even[None, :]) @ self.channels)


def light_over(picture: NDArray[np.uint8], to_picture: Array) -> Light:
    """Learn the light of a picture from the patches of its card.

    The light falls off smoothly: its logarithm is a curved surface through the whites, by channel. Then the channels
    are brought to the known colours by least squares over light and its square roots, which also takes a camera's own
    curve away. Raises CannotCompute on `corners` where the card is not wholly there.
    """
    seen = [spot(picture, to_picture, patch.x, patch.y, PATCH * 0.55) for patch in PATCHES]
    lights = np.maximum(np.array([each.light for each in seen]), _LEAST)
    terms = np.array([_terms(patch.x, patch.y) for patch in PATCHES])
    white = np.array([patch.lab == PAPER for patch in PATCHES])
    known = np.array([light_of_lab(patch.lab) for patch in PATCHES])
    over_card, *_ = np.linalg.lstsq(terms[white], np.log(lights[white] / known[white]), rcond=None)
    gains = np.exp(terms @ over_card)
    even = lights / gains
    # Whites are many, and all alike: together they count as a few.
    weights = np.where(white, 0.35, 1.0)
    channels = _channels(even, known, weights)
    grades = gains.mean(axis=1)
    burnt = float(np.mean([each.clipped > 0.2 for each in seen]))
    return Light(over_card, channels, _off(even, known, weights, white), float(grades.max() / grades.min()), burnt)


def _terms(x: float, y: float) -> Array:
    u, v = 2 * x / WIDE - 1, 2 * y / TALL - 1
    return np.array([1.0, u, v, u * u, u * v, v * v])


def _mixed(even: Array) -> Array:
    """Light by channel, and the roots of products: homogeneous, so that how bright a picture is does not matter."""
    r, g, b = np.maximum(even, _LEAST).T
    return np.column_stack([r, g, b, np.sqrt(r * g), np.sqrt(g * b), np.sqrt(r * b)])


def _channels(even: Array, known: Array, weights: Array) -> Array:
    # Errors weigh as an eye weighs them: of dark colours more.
    by_eye = weights / np.maximum(known.mean(axis=1), 0.03) ** 0.67
    ridge = 0.02 * np.eye(6)
    start = np.vstack([np.eye(3), np.zeros((3, 3))])
    left = np.vstack([_mixed(even) * by_eye[:, None], ridge])
    right = np.vstack([known * by_eye[:, None], ridge @ start])
    found: Array = np.linalg.lstsq(left, right, rcond=None)[0]
    return found


def _off(even: Array, known: Array, weights: Array, white: NDArray[np.bool_]) -> float:
    """Each coloured patch told by all the others: how far 19 in 20 are off."""
    found = []
    for n in np.flatnonzero(~white):
        others = np.arange(len(even)) != n
        channels = _channels(even[others], known[others], weights[others])
        there = _as_lab(_mixed(even[n : n + 1]) @ channels)
        found.append(difference(there, PATCHES[n].lab))
    return float(np.quantile(found, 0.95))


def _as_lab(light: Array) -> Lab:
    red, green, blue = np.clip(light.reshape(3), 0.0, 1.2)
    return lab_of_light(float(red), float(green), float(blue))
