"""Finding the card in a picture, and the picture's colours at places of the card."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from kessa.core.colours.lab import linear
from kessa.core.errors import CannotCompute
from kessa.core.pictures.card import HOLE, MARK, MARKS, TALL, WIDE

Array = NDArray[np.float64]
Point = tuple[float, float]
# sRGB levels as parts of full light.
_LIGHT = np.array([linear(level / 255) for level in range(256)])
_SAMPLES = 9
# A mark is looked for within so much of the picture's width around where it is said to be.
_NEAR = 0.09


class Spot(NamedTuple):
    """A place of a picture: its light by channel, how it scatters, and what share of it is burnt out or black."""

    light: Array
    scatter: float
    clipped: float


def light_of(levels: NDArray[np.uint8]) -> Array:
    """Return the light of a picture of sRGB levels (height, width, 3), as parts of full light."""
    light: Array = _LIGHT[levels]
    return light


def plane(corners: Sequence[Point]) -> Array:
    """Return what brings places of the card (mm) into the picture (pixels), from where its four marks lie.

    Raises CannotCompute on `corners` where they are not four corners of something like a card.
    """
    if len(corners) != 4 or not _turns_one_way(corners):
        raise CannotCompute("Set the four corners on the card's four marks, clockwise from the upper left.", "corners")
    rows, right = [], []
    for (x, y), (u, v) in zip(MARKS, corners, strict=True):
        rows += [[x, y, 1, 0, 0, 0, -u * x, -u * y], [0, 0, 0, x, y, 1, -v * x, -v * y]]
        right += [u, v]
    try:
        found = np.linalg.solve(np.array(rows, dtype=float), np.array(right, dtype=float))
    except np.linalg.LinAlgError:
        raise CannotCompute("Two corners lie on one spot.", "corners") from None
    return np.append(found, 1.0).reshape(3, 3)


def _turns_one_way(corners: Sequence[Point]) -> bool:
    area = [
        (corners[(n + 1) % 4][0] - corners[n][0]) * (corners[(n + 2) % 4][1] - corners[(n + 1) % 4][1])
        - (corners[(n + 1) % 4][1] - corners[n][1]) * (corners[(n + 2) % 4][0] - corners[(n + 1) % 4][0])
        for n in range(4)
    ]
    return min(area) > 0


def at(to_picture: Array, places: Array) -> Array:
    """Return where places of the card (n, 2) lie in the picture."""
    found = np.column_stack([places, np.ones(len(places))]) @ to_picture.T
    return found[:, :2] / found[:, 2:]


def spot(picture: NDArray[np.uint8], to_picture: Array, x: float, y: float, side: float) -> Spot:
    """Return what a square of the card shows, `side` mm wide around (x, y).

    Its brightest and darkest quarter are left out, so that a scratch or a glint does not count. Raises
    CannotCompute on `corners` where it lies outside the picture.
    """
    steps = np.linspace(-side / 2, side / 2, _SAMPLES)
    grid = np.stack(np.meshgrid(x + steps, y + steps), axis=-1).reshape(-1, 2)
    where = np.rint(at(to_picture, grid)).astype(int)
    height, width = picture.shape[:2]
    inside = (where[:, 0] >= 0) & (where[:, 0] < width) & (where[:, 1] >= 0) & (where[:, 1] < height)
    if not inside.all():
        raise CannotCompute("Part of the card lies outside the picture.", "corners")
    levels = picture[where[:, 1], where[:, 0]]
    light = light_of(levels)
    order = np.argsort(light.sum(axis=1))
    middle = light[order[len(order) // 4 : -(len(order) // 4)]]
    clipped = float(((levels >= 252).any(axis=1) | (levels <= 2).all(axis=1)).mean())
    mean = middle.mean(axis=0)
    return Spot(mean, float(light.std(axis=0).mean() / max(mean.mean(), 1e-4)), clipped)


def marks_near(picture: NDArray[np.uint8], guessed: Sequence[Point]) -> list[Point]:
    """Return where the four marks lie, each looked for around where it was guessed to be; a guess stays where none is.

    A mark is a dark square with a light hole on light ground: the place and size where these differ most.
    """
    grey = picture.astype(float).mean(axis=2)
    whole = np.pad(grey.cumsum(axis=0).cumsum(axis=1), ((1, 0), (1, 0)))
    across = np.hypot(guessed[1][0] - guessed[0][0], guessed[1][1] - guessed[0][1])
    likely = across / (MARKS[1][0] - MARKS[0][0]) * MARK
    return [_mark(whole, each, likely, picture.shape[1] * _NEAR) for each in guessed]


def _mark(whole: Array, guess: Point, likely: float, reach: float) -> Point:
    height, width = whole.shape[0] - 1, whole.shape[1] - 1
    best, found = 0.0, guess
    step = max(int(likely / 12), 1)
    for size in (0.8 * likely, likely, 1.25 * likely):
        half, hole, ground = max(int(size / 2), 3), max(int(size * HOLE / MARK / 2), 1), max(int(size * 0.68), 4)
        xs = np.arange(max(int(guess[0] - reach), ground), min(int(guess[0] + reach), width - ground), step)
        ys = np.arange(max(int(guess[1] - reach), ground), min(int(guess[1] + reach), height - ground), step)
        if not len(xs) or not len(ys):
            continue
        dark, inner, outer = (_box(whole, xs, ys, each) for each in (half, hole, ground))
        ring = (dark - inner) / ((2 * half) ** 2 - (2 * hole) ** 2)
        around = (outer - dark) / ((2 * ground) ** 2 - (2 * half) ** 2)
        score = np.minimum(inner / (2 * hole) ** 2, around) - ring
        n = np.unravel_index(int(score.argmax()), score.shape)
        if score[n] > best:
            best, found = float(score[n]), (float(xs[n[1]]), float(ys[n[0]]))
    return found if best > 25 else guess


def _box(whole: Array, xs: NDArray[np.int64], ys: NDArray[np.int64], half: int) -> Array:
    low, high = np.ix_(ys - half, xs - half), np.ix_(ys + half, xs + half)
    box: Array = whole[high] - whole[np.ix_(ys - half, xs + half)] - whole[np.ix_(ys + half, xs - half)] + whole[low]
    return box


def guide(width: int, height: int) -> list[Point]:
    """Return where the marks lie in a picture that was taken through the guide: the card across most of it."""
    scale = min(width * 0.88 / WIDE, height * 0.88 / TALL)
    left, top = (width - scale * WIDE) / 2, (height - scale * TALL) / 2
    return [(left + scale * x, top + scale * y) for x, y in MARKS]
